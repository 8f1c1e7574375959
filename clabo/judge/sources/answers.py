"""The sources report as the API answers it, for whoever asks: a member, a saved view, a mail."""

from __future__ import annotations

from clabo.judge.columns.services import columns_of
from clabo.judge.reports.schemas import lens_out
from clabo.judge.sources.dimensions import DIMENSIONS, read_within
from clabo.judge.sources.queries import opened, source_table
from clabo.judge.sources.schemas import SourcesIn, SourcesOut, source_row_out
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import Lens


def sources_out(lens: Lens, words: SourcesIn) -> SourcesOut:
    """The visits under a lens, told apart; raises Problem."""
    within, own = read_within(words.at), columns_of(lens.site)
    if words.by and words.by not in DIMENSIONS:
        raise Problem(f"Choose one of {', '.join(DIMENSIONS)}.", "by")
    table = source_table(lens, words.by, within) if words.by else opened(lens, within)
    before = source_table(lens.before(), table.by, within) if words.compare == "before" else None
    return SourcesOut(
        lens=lens_out(lens),
        by=table.by,
        rows=[source_row_out(r, lens, own) for r in [*table.rows, *table.apart]],
        total=source_row_out(table.total, lens, own),
        before={r.value: source_row_out(r, lens, own) for r in before.rows} if before else {},
    )
