"""Whole reports as the API answers them, for whoever asks: a member, a saved view, a mail."""

from __future__ import annotations

from decimal import Decimal

from clabo.columns.services import columns_of
from clabo.conversions.lens import Lens
from clabo.reports import pages
from clabo.reports.reading import LensIn
from clabo.reports.schemas import FindingOut, PagesOut, UnjoinedCost, lens_out, row_out
from clabo.shapes import finite


def pages_out(lens: Lens, words: LensIn) -> PagesOut:
    """The landing pages under a lens."""
    own = columns_of(lens.site)
    table = pages.page_table(lens, words.compare == "before", words.visitors)
    return PagesOut(
        lens=lens_out(lens),
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
        rows=[row_out(r, lens, own) for r in [*table.rows, *table.apart]],
        before={page_id: row_out(r, lens, own) for page_id, r in table.before.items()},
        cost=UnjoinedCost(
            total=table.joined.total,
            # What joined no visit is nobody's.
            unjoined=sum((u.cost for u in table.joined.unjoined if lens.people is None), Decimal(0)),
            by_address=table.joined.by_address,
        ),
    )
