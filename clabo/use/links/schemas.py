"""The shapes of links in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from ninja import Field as Limit

from clabo.core.plans.ad_links import Field, Naming, Parts, Space
from clabo.platform.shapes import IntervalOut, Shape, known_interval
from clabo.platform.wording import say
from clabo.use.links.queries import Through
from clabo.use.links.services import Built

_Name = Limit("", max_length=1000)


class LinkIn(Shape):
    destination: str = Limit(max_length=4000)
    source: str = _Name
    medium: str = _Name
    campaign: str = _Name
    ad_group: str = _Name
    ad: str = _Name
    sub_ids: dict[str, str] = Limit({}, max_length=20)


class LinkLookOut(Shape):
    """A link as it would be, and what of it will not join later."""

    address: str
    doubts: list[str]


class NamingJson(Shape):
    """How names in links are written: in small letters, with what for a space, and which must be there."""

    lower: bool
    space: Space
    required: list[Field]


class AdLinkOut(Shape):
    id: int
    address: str
    destination: str
    host: str
    path: str
    source: str
    medium: str
    campaign: str
    ad_group: str
    ad: str
    sub_ids: dict[str, str]
    made_at: datetime
    made_by: str
    visits: int
    converted: int
    rate: IntervalOut | None
    conversions: Decimal
    value: Decimal
    last_at: datetime | None


class AdLinksOut(Shape):
    """Links with what came through each in the last days, counted by one conversion."""

    days: int
    conversion: str
    naming: NamingJson
    links: list[AdLinkOut]


def parts_of(data: LinkIn) -> Parts:
    """What a link is to be made of."""
    names: dict[Field, str] = {
        "source": data.source,
        "medium": data.medium,
        "campaign": data.campaign,
        "ad_group": data.ad_group,
        "ad": data.ad,
    }
    return Parts(data.destination, names, data.sub_ids)


def look_out(built: Built) -> LinkLookOut:
    """The link as it would be."""
    return LinkLookOut(address=built.address, doubts=[say(d) for d in built.doubts])


def naming_out(naming: Naming) -> NamingJson:
    """The rules."""
    order: list[Field] = ["source", "medium", "campaign", "ad_group", "ad"]
    return NamingJson(
        lower=naming.lower, space=naming.space, required=[f for f in order if f in naming.required]
    )


def link_out(t: Through) -> AdLinkOut:
    """A link with what came through it."""
    link = t.link
    return AdLinkOut(
        id=link.pk,
        address=link.address,
        destination=link.destination,
        host=link.host,
        path=link.path,
        source=link.source,
        medium=link.medium,
        campaign=link.campaign,
        ad_group=link.ad_group,
        ad=link.ad,
        sub_ids=link.sub_ids,
        made_at=link.made_at,
        made_by=str(link.made_by or ""),
        visits=t.visits,
        converted=t.converted,
        rate=known_interval(t.rate),
        conversions=t.conversions,
        value=t.value,
        last_at=t.last_at,
    )
