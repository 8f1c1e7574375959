"""What is set aside from reports: looked at, added to, put back."""

from __future__ import annotations

from datetime import datetime
from typing import Literal, cast

from django.http import HttpRequest
from ninja import Field, Router, Schema

from clabo.accounts.access import person
from clabo.accounts.models import Role
from clabo.events.models import Exclusion
from clabo.monitoring import excluding
from clabo.sites.access import site_for

router = Router(tags=["set aside"])
What = Literal["network", "visitor", "period"]


class ExclusionIn(Schema):
    """A network or a visitor, for good or within a time; or everything within a time."""

    what: What
    network: str = Field("", max_length=16)
    visitor_id: int | None = Field(None, ge=1, lt=1 << 62)
    from_at: datetime | None = None
    until_at: datetime | None = None


class ExclusionOut(Schema):
    id: int
    what: What
    network: str
    # The first digits of the visitor's id, as Live shows them.
    visitor: str
    from_at: datetime | None
    until_at: datetime | None
    made_at: datetime
    made_by: str
    # How many visits it has taken out; missing while that is under way.
    visits: int | None


def _out(e: Exclusion) -> ExclusionOut:
    return ExclusionOut(
        id=e.pk,
        what=cast(What, e.what),
        network=e.network,
        visitor=e.visitor.key.hex[:6] if e.visitor else "",
        from_at=e.from_at,
        until_at=e.until_at,
        made_at=e.made_at,
        made_by=str(e.made_by or ""),
        visits=e.visits,
    )


@router.get("/sites/{int:site_id}/exclusions", response=list[ExclusionOut])
def exclusions(request: HttpRequest, site_id: int) -> list[ExclusionOut]:
    return [_out(e) for e in excluding.in_force(site_for(request, site_id))]


@router.post("/sites/{int:site_id}/exclusions", response=ExclusionOut)
def exclude(request: HttpRequest, site_id: int, data: ExclusionIn) -> ExclusionOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _out(excluding.exclude(site, by=person(request), **data.dict()))


@router.delete("/sites/{int:site_id}/exclusions/{int:exclusion_id}", response={204: None})
def put_back(request: HttpRequest, site_id: int, exclusion_id: int) -> tuple[int, None]:
    excluding.undo(site_for(request, site_id, Role.EDITOR), exclusion_id)
    return 204, None
