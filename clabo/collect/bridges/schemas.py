"""The shapes of bridge links in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal

from ninja import Field

from clabo.collect.bridges.models import BridgeLink
from clabo.collect.bridges.queries import Followed, recent_counts
from clabo.platform.shapes import Shape
from clabo.setup.sites.models import Site
from clabo.setup.sites.reach import tag_origin


class BridgeIn(Shape):
    slug: str = Field(max_length=60)
    target: str = Field(max_length=2000)
    reference_name: str = Field("ref", max_length=40)
    free_names: list[str] = Field([], max_length=20)
    pixel_sales: bool = False


class BridgeOut(BridgeIn):
    """`steps` and `sales` are those of the last 28 days, of visits that count."""

    id: int
    address: str
    report_address: str
    # Only for those who may change the link.
    secret: str | None
    steps: int
    sales: int
    last_at: datetime | None


def links_out(site: Site, links: list[BridgeLink], secrets: bool) -> list[BridgeOut]:
    counts = recent_counts(site, links)
    return [
        BridgeOut(
            id=b.pk,
            slug=b.slug,
            target=b.target,
            reference_name=b.reference_name,
            free_names=b.free_names,
            pixel_sales=b.pixel_sales,
            address=f"{tag_origin()}/to/{site.key}/{b.slug}",
            report_address=f"{tag_origin()}/sale/{site.key}",
            secret=b.secret if secrets else None,
            steps=counts[b.slug].steps,
            sales=counts[b.slug].sales,
            last_at=counts[b.slug].last_at,
        )
        for b in links
    ]


class BroughtBy(Shape):
    by: str = Field("page", max_length=40)
    days: int = Field(28, ge=1, le=180)


class FollowedOut(Shape):
    label: str
    steps: int
    sold: int
    low: float | None
    rate: float | None
    high: float | None
    thin: bool
    sales: int
    foreign: int
    value: Decimal


class BroughtOut(Shape):
    """Steps of the last days by one of the choices, and the sales they have led to so far."""

    by: str
    choices: list[str]
    rows: list[FollowedOut]
    whole: FollowedOut
    cut: bool
    currency: str


def followed_out(f: Followed) -> FollowedOut:
    low, rate, high = (v if f.steps else None for v in (f.rate.low, f.rate.estimate, f.rate.high))
    plain = {
        name: getattr(f, name) for name in ("label", "steps", "sold", "thin", "sales", "foreign", "value")
    }
    return FollowedOut(low=low, rate=rate, high=high, **plain)
