"""The shapes of what is set aside in the API."""

from __future__ import annotations

from datetime import datetime
from typing import Literal, cast

from ninja import Field

from clabo.collect.events.models import Exclusion
from clabo.platform.shapes import Shape

What = Literal["network", "visitor", "period"]


class ExclusionIn(Shape):
    """A network or a visitor, for good or within a time; or everything within a time."""

    what: What
    network: str = Field("", max_length=16)
    visitor_id: int | None = Field(None, ge=1, lt=1 << 62)
    from_at: datetime | None = None
    until_at: datetime | None = None


class ForgottenOut(Shape):
    """What was removed of somebody."""

    events: int
    visits: int
    conversions: int
    exposures: int
    # Browsers that were theirs, identities that were stated there, and entries in lists.
    browsers: int
    identities: int
    entries: int


class ExclusionOut(Shape):
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


def exclusion_out(e: Exclusion) -> ExclusionOut:
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
