"""Whole reports as the API answers them, for whoever asks: a member, a saved view, a mail."""

from __future__ import annotations

from decimal import Decimal

from clabo.judge.columns.services import columns_of
from clabo.judge.paths.by_page import reached_by_page
from clabo.judge.paths.schemas import names_of
from clabo.judge.paths.services import path_of, read_steps
from clabo.judge.reports.lens_params import LensIn
from clabo.judge.reports.pages.table import PageTable, page_table
from clabo.judge.reports.schemas import (
    AlongOut,
    FindingOut,
    NearestOut,
    PagesOut,
    UnjoinedCost,
    lens_out,
    row_out,
)
from clabo.platform.problems import Problem
from clabo.platform.shapes import finite, known_interval
from clabo.platform.wording.audiences import briefly, did
from clabo.setup.conversions.lens import Lens


def pages_out(lens: Lens, words: LensIn) -> PagesOut:
    """The landing pages under a lens."""
    own = columns_of(lens.site)
    along, reached, earlier = _along(lens, words)
    none = [0] * len(along.says) if along else []
    table = page_table(lens, words.compare == "before", words.visitors)
    return PagesOut(
        lens=lens_out(lens),
        path=along,
        findings=[
            FindingOut(
                kind=f.kind,
                page_id=page.pk,
                profit=round(f.profit, 2),
                lost=f.lost,
            )
            for f in table.findings.found
            if (page := table.rows[f.place].page)
        ],
        together=finite(table.findings.together),
        thin=table.findings.thin,
        nearest=_nearest(table),
        to_come=known_interval(table.to_come),
        rows=[
            row_out(r, lens, own, reached.get(r.page.pk, none) if r.page else ())
            for r in [*table.rows, *table.apart]
        ],
        before={
            page_id: row_out(r, lens, own, earlier.get(page_id, none)) for page_id, r in table.before.items()
        },
        cost=UnjoinedCost(
            total=table.joined.total,
            # What joined no visit is nobody's.
            unjoined=sum((u.cost for u in table.joined.unjoined if lens.people is None), Decimal(0)),
            by_address=table.joined.by_address,
        ),
    )


def _nearest(table: PageTable) -> NearestOut | None:
    nearest = table.findings.nearest
    page = table.rows[nearest.place].page if nearest else None
    return NearestOut(page_id=page.pk, visits=nearest.visits) if nearest and page else None


Reached = dict[int, list[int]]


def _along(lens: Lens, words: LensIn) -> tuple[AlongOut | None, Reached, Reached]:
    """The path that is asked for, how far visits got along it by page, and in the period before; raises Problem."""
    # 0 is an address's word for none.
    if not words.path:
        return None, {}, {}
    path = path_of(lens.site, words.path)
    if path.within is not None:
        raise Problem("Only a path within one visit can stand beside pages.", "path")
    steps = read_steps(lens.site, path.steps)
    names = names_of(lens.site)
    says = [did(what, names) for what in steps]
    earlier = reached_by_page(lens.before(), steps) if words.compare == "before" else {}
    return (
        AlongOut(id=path.pk, name=path.name, says=says, briefly=[briefly(what, names) for what in steps]),
        reached_by_page(lens, steps),
        earlier,
    )
