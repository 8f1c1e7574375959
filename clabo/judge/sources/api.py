"""Sources: where visits came from, step by step, and when."""

from __future__ import annotations

from django.http import HttpRequest
from ninja import Query, Router

from clabo.judge.reports.lens_params import lens_of
from clabo.judge.reports.schemas import lens_out
from clabo.judge.sources.answers import sources_out
from clabo.judge.sources.dimensions import read_within
from clabo.judge.sources.queries import hours
from clabo.judge.sources.schemas import (
    HourOut,
    HoursOut,
    SourceRowOut,
    SourcesIn,
    SourcesOut,
    hour_out,
)
from clabo.platform.outputs.answering import FILES, as_table

router = Router(tags=["sources"])
HERE = "/sites/{int:site_id}/sources"


@router.get(HERE, response=SourcesOut, openapi_extra=FILES)
@as_table("Sources", SourceRowOut, lambda answer: [*answer.rows, answer.total])
def sources(request: HttpRequest, site_id: int, words: Query[SourcesIn]) -> SourcesOut:
    return sources_out(lens_of(request, site_id, words), words)


@router.get(HERE + "/hours", response=HoursOut, openapi_extra=FILES)
@as_table("Visits by hour", HourOut, lambda answer: answer.hours)
def by_hour(request: HttpRequest, site_id: int, words: Query[SourcesIn]) -> HoursOut:
    lens = lens_of(request, site_id, words)
    return HoursOut(lens=lens_out(lens), hours=[hour_out(h) for h in hours(lens, read_within(words.at))])
