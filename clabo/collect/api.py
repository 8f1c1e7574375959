"""The tag's state. The live list is in conversions/api.py, which knows the rules met."""

from __future__ import annotations

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema

from clabo.collect import queries
from clabo.sites.access import site_for

router = Router(tags=["pixel"])


class KnownPage(Schema):
    id: int
    host: str
    path: str
    title: str
    views: int
    first_at: datetime
    last_at: datetime
    twice_at: datetime | None


class RefusedKind(Schema):
    reason: str
    day: str
    count: int
    sample: str
    last_at: datetime


class Pixel(Schema):
    head_line: str
    render_line: str
    pixel_line: str
    first_at: datetime | None
    last_at: datetime | None
    pages_total: int
    pages: list[KnownPage]
    refusals: list[RefusedKind]


@router.get("/sites/{int:site_id}/pixel", response=Pixel)
def pixel(request: HttpRequest, site_id: int, search: str = "") -> Pixel:
    state = queries.tag_state(site_for(request, site_id), search[:200])
    return Pixel(
        head_line=state.lines.head,
        render_line=state.lines.render,
        pixel_line=state.lines.pixel,
        first_at=state.first_at,
        last_at=state.last_at,
        pages_total=state.pages_total,
        pages=[KnownPage(**{name: getattr(p, name) for name in KnownPage.model_fields}) for p in state.pages],
        refusals=[
            RefusedKind(reason=r.reason, day=str(r.day), count=r.count, sample=r.sample, last_at=r.last_at)
            for r in state.refusals
        ],
    )
