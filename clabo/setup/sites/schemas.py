"""The shapes of sites in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Annotated, Literal

from ninja import Field

from clabo.platform.shapes import Shape
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import origin_of

ConsentName = Literal["always", "ask", "nameless"]


class Host(Shape):
    host: str = Field(max_length=300)
    stands_for: str = Field("", max_length=300)


class WaitingSettings(Shape):
    """Settings as they will be; those that stay are None. `hosts`: addresses are read anew, since hosts have changed."""

    currency: str | None = None
    time_zone: str | None = None
    meaningful_parameters: list[str] | None = None
    keep_fragment: bool | None = None
    attribution_window_days: int | None = None
    hosts: bool = False


class SiteOut(Shape):
    id: int
    name: str
    key: str
    currency: str
    time_zone: str
    hosts: list[Host]
    # Where its first host's pages can be opened.
    origin: str
    meaningful_parameters: list[str]
    keep_fragment: bool
    attribution_window_days: int
    margin: Decimal | None
    consent: ConsentName
    own_networks: list[str]
    frame_origins: list[str]
    # So many people are enough to advertise to, and so many are plenty.
    audience_floor: int
    audience_plenty: int
    # What is asked for and holds once all that was recorded has been read by it; None where nothing waits.
    waiting: WaitingSettings | None


class DeletedOut(Shape):
    """What was deleted in the last 30 days. `kind`: conversion, audience, path, view, channel, link, bridge, plan, test, column."""

    kind: str
    id: int
    name: str
    deleted_at: datetime


class NewSite(Shape):
    name: str = Field(max_length=120)
    hosts: list[str] = Field(max_length=50)
    currency: str = "EUR"
    time_zone: str = "UTC"


class SiteChange(Shape):
    name: str | None = Field(None, max_length=120)
    currency: str | None = None
    time_zone: str | None = None
    hosts: list[Host] | None = Field(None, max_length=50)
    meaningful_parameters: list[str] | None = Field(None, max_length=50)
    keep_fragment: bool | None = None
    attribution_window_days: int | None = None
    margin: Decimal | None = None
    consent: ConsentName | None = None
    own_networks: list[Annotated[str, Field(max_length=100)]] | None = Field(None, max_length=50)
    frame_origins: list[Annotated[str, Field(max_length=300)]] | None = Field(None, max_length=20)
    audience_floor: int | None = None
    audience_plenty: int | None = None


def site_out(site: Site) -> SiteOut:
    fields = {name: getattr(site, name) for name in SiteOut.model_fields if name not in ("hosts", "origin")}
    return SiteOut(
        **fields,
        origin=origin_of(site),
        hosts=[Host(host=h.host, stands_for=h.stands_for) for h in site.hosts.all()],
    )


class ProofKeyOut(Shape):
    """A key that the site's server signs orders with. `secret` is there once: when the key is made."""

    id: int
    made_at: datetime
    secret: str | None = None
