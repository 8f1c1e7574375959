"""Bridge links: made, changed, removed, and how often they are followed."""

from __future__ import annotations

from datetime import UTC, datetime
from decimal import Decimal

from django.db.models import Count, Max
from django.http import HttpRequest
from ninja import Field, Query, Router, Schema

from clabo.accounts.models import Role
from clabo.accounts.problems import Problem, missing
from clabo.bridges.models import BridgeLink
from clabo.bridges.queries import Followed, brought
from clabo.bridges.services import save_link
from clabo.events.models import Event, Kind
from clabo.sites.access import site_for
from clabo.sites.models import Site
from clabo.sites.reach import tag_origin

router = Router(tags=["bridge links"])


class BridgeIn(Schema):
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


def _out(site: Site, links: list[BridgeLink], secrets: bool) -> list[BridgeOut]:
    since = site.last_days(28)
    events = Event.objects.reported().filter(
        site=site, kind__in=(Kind.STEP, Kind.SALE), name__in=[b.slug for b in links]
    )
    rows = events.filter(time__gte=since).values_list("name", "kind")
    counts = {(name, kind): n for name, kind, n in rows.annotate(n=Count("id"))}
    last = dict(events.filter(kind=Kind.STEP).values_list("name").annotate(at=Max("time")))
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
            steps=counts.get((b.slug, Kind.STEP), 0),
            sales=counts.get((b.slug, Kind.SALE), 0),
            last_at=last.get(b.slug),
        )
        for b in links
    ]


class BroughtBy(Schema):
    by: str = Field("page", max_length=40)
    days: int = Field(28, ge=1, le=180)


class FollowedOut(Schema):
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


class BroughtOut(Schema):
    """Steps of the last days by one of the choices, and the sales they have led to so far."""

    by: str
    choices: list[str]
    rows: list[FollowedOut]
    whole: FollowedOut
    cut: bool
    currency: str


def _followed(f: Followed) -> FollowedOut:
    low, rate, high = (v if f.steps else None for v in (f.rate.low, f.rate.estimate, f.rate.high))
    plain = {
        name: getattr(f, name) for name in ("label", "steps", "sold", "thin", "sales", "foreign", "value")
    }
    return FollowedOut(low=low, rate=rate, high=high, **plain)


def _link(site: Site, link_id: int, removed: bool = False) -> BridgeLink:
    link = BridgeLink.objects.filter(site=site, pk=link_id, removed_at__isnull=not removed).first()
    if link is None:
        raise missing("bridge link")
    return link


def _may_change(request: HttpRequest, site_id: int) -> bool:
    try:
        site_for(request, site_id, Role.EDITOR)
    except Problem:
        return False
    return True


@router.get("/sites/{int:site_id}/bridges", response=list[BridgeOut])
def bridge_links(request: HttpRequest, site_id: int) -> list[BridgeOut]:
    site = site_for(request, site_id)
    links = list(BridgeLink.objects.filter(site=site, removed_at=None).order_by("slug"))
    return _out(site, links, _may_change(request, site_id))


@router.get("/sites/{int:site_id}/bridges/{int:link_id}/brought", response=BroughtOut)
def what_it_brought(request: HttpRequest, site_id: int, link_id: int, words: Query[BroughtBy]) -> BroughtOut:
    site = site_for(request, site_id)
    found = brought(site, _link(site, link_id), words.by, site.last_days(words.days))
    return BroughtOut(
        by=found.by,
        choices=found.choices,
        rows=[_followed(f) for f in found.rows],
        whole=_followed(found.whole),
        cut=found.cut,
        currency=site.currency,
    )


@router.post("/sites/{int:site_id}/bridges", response=BridgeOut)
def make_bridge_link(request: HttpRequest, site_id: int, data: BridgeIn) -> BridgeOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _out(site, [save_link(site, **data.dict())], True)[0]


@router.put("/sites/{int:site_id}/bridges/{int:link_id}", response=BridgeOut)
def change_bridge_link(request: HttpRequest, site_id: int, link_id: int, data: BridgeIn) -> BridgeOut:
    site = site_for(request, site_id, Role.EDITOR)
    return _out(site, [save_link(site, **data.dict(), link=_link(site, link_id))], True)[0]


@router.delete("/sites/{int:site_id}/bridges/{int:link_id}", response={204: None})
def remove_bridge_link(request: HttpRequest, site_id: int, link_id: int) -> tuple[int, None]:
    link = _link(site_for(request, site_id, Role.EDITOR), link_id)
    link.removed_at = datetime.now(UTC)
    link.save()
    return 204, None


@router.post("/sites/{int:site_id}/bridges/{int:link_id}/restore", response={204: None})
def restore_bridge_link(request: HttpRequest, site_id: int, link_id: int) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    link = _link(site, link_id, removed=True)
    if BridgeLink.objects.filter(site=site, slug=link.slug, removed_at=None).exists():
        raise Problem("Another bridge link has this name by now. Rename that one first.", "slug", 409)
    link.removed_at = None
    link.save()
    return 204, None
