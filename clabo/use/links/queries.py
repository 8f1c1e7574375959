"""What links are held against, and what came through each."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db.models import Count, Max, Q, Sum

from clabo.collect.events.intake.wanted import Wanted, ad
from clabo.collect.events.models import Origin, Page, TrafficClass, Visit
from clabo.core.evidence import Interval, rate_interval
from clabo.core.pages.addresses import Address, AddressError, campaign_of
from clabo.core.plans.ad_links import Field, Known, Naming, PageState
from clabo.setup.conversions.lens import Lens, read_lens
from clabo.setup.conversions.models import Credit
from clabo.setup.sites.models import Site
from clabo.use.delivery.models import AdChannel
from clabo.use.links.models import AdLink, LinkNaming
from clabo.use.spend.models import SpendRow

# What came is counted over so many days.
DAYS = 90
MOST_NAMES = 2_000


def naming_of(site: Site) -> Naming:
    """The site's rules, or those that hold where nobody has set any."""
    kept = LinkNaming.objects.filter(site=site).first()
    return Naming(kept.lower, kept.space, frozenset(kept.required)) if kept else Naming()  # type: ignore[arg-type]


def known_of(site: Site, address: str) -> Known:
    """What a link at `address` is held against: hosts, its page, and names as visits and spend of its source have them."""
    hosts = list(site.hosts.all())
    source = campaign_of(address).source
    since = site.first_of_last(DAYS)
    spent = SpendRow.objects.filter(site=site, day__gte=since)
    paid = Origin.objects.filter(site=site, channel="paid")
    sources = {
        *spent.values_list("source", flat=True).distinct()[:MOST_NAMES],
        *AdChannel.objects.filter(site=site, deleted_at=None).values_list("source", flat=True),
    } or set(paid.values_list("source", flat=True).distinct()[:MOST_NAMES])
    names: dict[Field, set[str]] = {}
    for name in ("campaign", "ad_group", "ad"):
        # As spend has them, where it has any: links that are in use by now may be misspelt themselves.
        of_source = spent.filter(source__iexact=source).values_list(name, flat=True).distinct()[:MOST_NAMES]
        names[name] = set(of_source) or set(
            paid.filter(source=source.lower()).values_list(name, flat=True).distinct()[:MOST_NAMES]
        )
    return Known({h.host for h in hosts}, page_state(site, address), sources, names)


def page_state(site: Site, address: str) -> PageState:
    """Whether somebody was seen on the page at an address, and whether its tag still works."""
    page = page_at(site, address)
    return "unseen" if page is None else "stopped" if page.stopped_at else "fine"


def page_at(site: Site, address: str) -> Page | None:
    """The site's page at an address, where one was seen there."""
    try:
        found = site.page_reading.page(address)
    except AddressError:
        return None
    return Page.objects.filter(site=site, host=found.host, path=found.path).first()


@dataclass(frozen=True, slots=True)
class Through:
    """What came through a link in the last DAYS days. `conversions` are shares under the lens's attribution."""

    link: AdLink
    visits: int
    converted: int
    rate: Interval
    conversions: Decimal
    value: Decimal
    last_at: datetime | None


Key = tuple[object, ...]


def came_through(site: Site, links: list[AdLink]) -> tuple[Lens, list[Through]]:
    """The lens's conversion, and for each link what came through it.

    A visit came through a link where it entered at its page, with the same source, medium, campaign, ad group, ad and
    sub-IDs: so none comes through two.
    """
    lens = read_lens(site, f"{DAYS}d")
    wanted = Q(pk__in=[])
    for link in links:
        names = {name: getattr(link, name) for name in ("source", "medium", "campaign", "ad_group", "ad")}
        wanted |= Q(**{f"{name}__iexact": text for name, text in names.items()})
    origins = {o.pk: o for o in Origin.objects.filter(wanted, site=site)}
    pages = {p.pk: p for p in Page.objects.filter(site=site, path__in={link.path for link in links})}

    def key(origin_id: int, page_id: int, subs: dict[str, str] | None) -> Key:
        o, p = origins[origin_id], pages[page_id]
        return (
            p.host,
            p.path,
            *(name.lower() for name in (o.source, o.medium, o.campaign, o.ad_group, o.ad)),
            tuple(sorted((subs or {}).items())),
        )

    visits: defaultdict[Key, int] = defaultdict(int)
    last: dict[Key, datetime] = {}
    rows = Visit.objects.filter(
        site=site,
        day__gte=lens.first,
        day__lte=lens.last,
        origin__in=origins,
        entry_page__in=pages,
        traffic_class=TrafficClass.COUNTED,
        views__gt=0,
    ).order_by()
    for origin_id, page_id, subs, n, at in rows.values_list("origin", "entry_page", "sub_ids").annotate(
        n=Count("id"), at=Max("started_at")
    ):
        found = key(origin_id, page_id, subs)
        visits[found] += n
        last[found] = max(at, last.get(found, at))
    converted: defaultdict[Key, int] = defaultdict(int)
    shares: defaultdict[Key, Decimal] = defaultdict(Decimal)
    values: defaultdict[Key, Decimal] = defaultdict(Decimal)
    credits = Credit.objects.filter(
        site=site,
        rule=lens.rule,
        model=lens.model,
        day__gte=lens.first,
        day__lte=lens.last,
        origin__in=origins,
        page__in=pages,
    ).order_by()
    for origin_id, page_id, subs, n, share, value in credits.values_list(
        "origin", "page", "visit__sub_ids"
    ).annotate(n=Count("visit", distinct=True), share=Sum("share"), worth=Sum("value")):
        found = key(origin_id, page_id, subs)
        converted[found] += n
        shares[found] += share
        values[found] += value or 0
    out = []
    for link in links:
        mine: Key = (
            link.host,
            link.path,
            *(name.lower() for name in (link.source, link.medium, link.campaign, link.ad_group, link.ad)),
            tuple(sorted(link.sub_ids.items())),
        )
        out.append(
            Through(
                link,
                visits[mine],
                converted[mine],
                rate_interval(converted[mine], visits[mine]),
                shares[mine],
                values[mine],
                last.get(mine),
            )
        )
    return lens, out


def links_of(site: Site) -> list[AdLink]:
    """The site's, the newest first."""
    return list(AdLink.objects.filter(site=site).select_related("made_by").order_by("-made_at", "-pk"))


def wanted_by_links(site_id: int, wanted: Wanted) -> None:
    """The pages that kept links lead to, and the ads that they name."""
    rows = AdLink.objects.filter(site_id=site_id)
    for host, path, *names in rows.values_list("host", "path", "source", "campaign", "ad_group", "ad"):
        wanted.pages.add(Address(host, path))
        wanted.ads.add(ad(*names))
