"""Sources: where visits came from, step by step, and when."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.outputs.answering import FILES, as_table
from clabo.problems import Problem
from clabo.reports.reading import lens_of
from clabo.reports.schemas import lens_out
from clabo.sources.dimensions import DIMENSIONS, read_within
from clabo.sources.queries import hours, opened, source_table
from clabo.sources.schemas import (
    HourOut,
    HoursOut,
    SourceRowOut,
    SourcesIn,
    SourcesOut,
    hour_out,
    source_row_out,
)

router = Router(tags=["sources"])
HERE = "/sites/{int:site_id}/sources"


@router.get(HERE, response=SourcesOut, openapi_extra=FILES)
@as_table("Sources", SourceRowOut, lambda answer: [*answer.rows, answer.total])
def sources(request: HttpRequest, site_id: int, words: Query[SourcesIn]) -> SourcesOut:
    lens = lens_of(request, site_id, words)
    within = read_within(words.at)
    if words.by and words.by not in DIMENSIONS:
        raise Problem(f"Choose one of {', '.join(DIMENSIONS)}.", "by")
    table = source_table(lens, words.by, within) if words.by else opened(lens, within)
    before = source_table(lens.before(), table.by, within) if words.compare == "before" else None
    return SourcesOut(
        lens=lens_out(lens),
        by=table.by,
        rows=[source_row_out(r, lens) for r in [*table.rows, *table.apart]],
        total=source_row_out(table.total, lens),
        before={r.value: source_row_out(r, lens) for r in before.rows} if before else {},
    )


@router.get(HERE + "/hours", response=HoursOut, openapi_extra=FILES)
@as_table("Visits by hour", HourOut, lambda answer: answer.hours)
def by_hour(request: HttpRequest, site_id: int, words: Query[SourcesIn]) -> HoursOut:
    lens = lens_of(request, site_id, words)
    return HoursOut(lens=lens_out(lens), hours=[hour_out(h) for h in hours(lens, read_within(words.at))])
