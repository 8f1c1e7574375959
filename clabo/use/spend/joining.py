"""Which landing page each cost belongs to (docs/definitions.md, "How cost finds its page").

Cost follows the clicks: a row's cost is spread over the landing pages of that day's visits which
carry its source, campaign, ad group and ad; failing that, over visits whose link left the ad, or the
ad group and the ad, unsaid. Where several rows of a day differ only in the landing address, each
keeps to visits that entered there. A row that no visit answers to goes to the page that it names;
what names no known page either did not join.

The result is stored, a day at a time, by whoever changes spend or traffic of that day, and reports
only sum it up.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from django.db import connection
from django.db.models import Case, Count, F, Q, Sum, Value, When

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import Page, TrafficDay
from clabo.core.money.returns import apportion, spread
from clabo.core.pages.addresses import Address, AddressError, PageReading
from clabo.core.pages.traffic_source import Channel
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids
from clabo.setup.conversions.lens import Lens
from clabo.setup.sites.models import Site
from clabo.use.spend.models import CostPart, SpendRow

Identity = tuple[str, str, str, str]  # source, campaign, ad group, ad; lower-cased
PAID: Channel = "paid"
How = CostPart.How
_DAYS_AT_ONCE = 10


@dataclass(frozen=True, slots=True)
class Landing:
    """Where a part of a cost belongs. `device` is 0 and `origin_id` None where no visit tells."""

    page_id: int
    channel: str
    source: str
    device: int
    origin_id: int | None


@dataclass(frozen=True, slots=True)
class _Group:
    day: date
    identity: Identity
    source: str
    campaign: str
    page_id: int | None
    rows: int
    impressions: int
    clicks: int
    cost: Decimal


@dataclass(slots=True)
class Paid:
    """Cost, clicks and impressions of something."""

    cost: Decimal = Decimal(0)
    clicks: int = 0
    impressions: int = 0

    def __iadd__(self, other: Paid) -> Paid:
        self.cost += other.cost
        self.clicks += other.clicks
        self.impressions += other.impressions
        return self


def rejoin(site_id: int, days: Collection[date]) -> None:
    """Join all spend of these days anew. The caller holds the site's lock and a transaction."""
    in_order = sorted(days)
    # Some at a time: a year of a large account would not fit into memory.
    for start in range(0, len(in_order), _DAYS_AT_ONCE):
        some = in_order[start : start + _DAYS_AT_ONCE]
        CostPart.objects.filter(site_id=site_id, day__in=some).delete()
        _find_pages(site_id, some)
        parts = _parts(site_id, some)
        for part, part_id in zip(parts, new_ids(CostPart, len(parts)), strict=True):
            part.pk = part_id
        copy_in(CostPart, parts)


def _find_pages(site_id: int, days: Collection[date]) -> None:
    """Rows whose landing address was no known page when they came, and is one by now."""
    rows = SpendRow.objects.filter(site_id=site_id, day__in=days, page=None).exclude(landing="")
    wanted = set(rows.values_list("landing", flat=True).distinct())
    if not wanted:
        return
    site = Site.objects.prefetch_related("hosts").get(pk=site_id)
    for landing, page_id in pages_of(site, wanted).items():
        rows.filter(landing=landing).update(page_id=page_id)


def find_pages_anew(site_id: int) -> None:
    """The page of every row by its landing address, as the site reads addresses now."""
    site = Site.objects.prefetch_related("hosts").get(pk=site_id)
    rows = SpendRow.objects.filter(site_id=site_id).exclude(landing="")
    landings = list(rows.order_by().values_list("landing", flat=True).distinct())
    found = pages_of(site, landings)
    with connection.cursor() as cursor:
        cursor.execute(
            f"UPDATE {SpendRow._meta.db_table} r SET page_id = f.page "
            "FROM unnest(%s::text[], %s::bigint[]) AS f(landing, page) "
            "WHERE r.site_id = %s AND r.landing = f.landing AND r.page_id IS DISTINCT FROM f.page",
            [landings, [found.get(landing) for landing in landings], site_id],
        )


def page_named(reading: PageReading, landing: str) -> Address | None:
    """The page that a spend file's landing address is; None where it is none by now."""
    try:
        return reading.page("https://" + landing)
    except AddressError:
        return None


def pages_of(site: Site, landings: Collection[str]) -> dict[str, int]:
    """The known pages, by id, at landing addresses as spend files have them."""
    named = {landing: page for landing in landings if (page := page_named(site.page_reading, landing))}
    pages = Page.objects.filter(in_array("path", {a.path for a in named.values()}, "text"), site=site)
    known = {Address(host, path): pk for pk, host, path in pages.values_list("id", "host", "path")}
    return {landing: known[page] for landing, page in named.items() if page in known}


def _parts(site_id: int, days: Collection[date]) -> list[CostPart]:
    groups = _groups(site_id, days)
    landings: defaultdict[tuple[date, Identity], set[int]] = defaultdict(set)
    for group in groups:
        if group.page_id:
            landings[(group.day, group.identity)].add(group.page_id)
    entries = _Entries(site_id, days, {g.identity[0] for g in groups})
    joined: defaultdict[tuple[date, Landing, int], Paid] = defaultdict(Paid)
    parts: list[CostPart] = []
    for group in groups:
        found = entries.matching(group.day, group.identity)
        if group.page_id and len(landings[(group.day, group.identity)]) > 1:
            found = {place: n for place, n in found.items() if place.page_id == group.page_id}
        if found:
            clicks, impressions = apportion(group.clicks, found), apportion(group.impressions, found)
            for place, part in spread(group.cost, found).items():
                joined[(group.day, place, How.VISITS)] += Paid(part, clicks[place], impressions[place])
        elif group.page_id:
            place = Landing(group.page_id, PAID, group.identity[0], 0, None)
            joined[(group.day, place, How.ADDRESS)] += Paid(group.cost, group.clicks, group.impressions)
        elif group.cost or group.clicks or group.impressions:
            parts.append(
                CostPart(
                    site_id=site_id,
                    day=group.day,
                    how=How.NOTHING,
                    source=group.source,
                    campaign=group.campaign,
                    rows=group.rows,
                    impressions=group.impressions,
                    clicks=group.clicks,
                    cost=group.cost,
                )
            )
    parts += [
        CostPart(
            site_id=site_id,
            day=day,
            how=how,
            page_id=place.page_id,
            channel=place.channel,
            source=place.source,
            device=place.device,
            origin_id=place.origin_id,
            impressions=paid.impressions,
            clicks=paid.clicks,
            cost=paid.cost,
        )
        for (day, place, how), paid in joined.items()
    ]
    return parts


def _groups(site_id: int, days: Collection[date]) -> list[_Group]:
    """The rows of the days, those alike together."""
    found: dict[tuple[date, Identity, int | None], _Group] = {}
    for row in SpendRow.objects.filter(site_id=site_id, day__in=days).values_list(
        "day", "source", "campaign", "ad_group", "ad", "page_id", "impressions", "clicks", "cost"
    ):
        day, source, campaign, ad_group, ad, page_id, impressions, clicks, cost = row
        identity = (source.lower(), campaign.lower(), ad_group.lower(), ad.lower())
        key = (day, identity, page_id)
        old = found.get(key)
        if old:
            impressions, clicks = impressions + old.impressions, clicks + old.clicks
            cost, n = cost + old.cost, old.rows + 1
        else:
            n = 1
        found[key] = _Group(day, identity, source, campaign, page_id, n, impressions, clicks, cost)
    return list(found.values())


class _Entries:
    """Entries of visits by day and campaign identity; what a file's row leaves blank matches anything."""

    def __init__(self, site_id: int, days: Collection[date], sources: Collection[str]) -> None:
        self._rows: defaultdict[date, list[tuple[Identity, Landing, int]]] = defaultdict(list)
        self._index: dict[tuple[bool, ...], dict[tuple[date, Identity], dict[Landing, int]]] = {}
        rows = (
            TrafficDay.objects.filter(site_id=site_id, day__in=days, entries__gt=0)
            .filter(origin__source__in=sources)
            .values_list(
                "day",
                "page_id",
                "device",
                "origin_id",
                "origin__channel",
                "origin__source",
                "origin__campaign",
                "origin__ad_group",
                "origin__ad",
            )
            .annotate(n=Sum("entries"))
        )
        for day, page_id, device, origin, channel, source, campaign, ad_group, ad, n in rows:
            identity = (source.lower(), campaign.lower(), ad_group.lower(), ad.lower())
            self._rows[day].append((identity, Landing(page_id, channel, source, device, origin), n))

    def matching(self, day: date, identity: Identity) -> dict[Landing, int]:
        """Visits that answer to a row; else those whose link says less than the row does."""
        given = tuple(bool(part) for part in identity)
        index = self._index.get(given)
        if index is None:
            index = self._index[given] = self._build(given)
        source, campaign, ad_group, _ = identity
        for wanted in (identity, (source, campaign, ad_group, ""), (source, campaign, "", "")):
            if found := index.get((day, wanted)):
                return found
        return {}

    def _build(self, given: tuple[bool, ...]) -> dict[tuple[date, Identity], dict[Landing, int]]:
        index: defaultdict[tuple[date, Identity], defaultdict[Landing, int]] = defaultdict(
            lambda: defaultdict(int)
        )
        for day, rows in self._rows.items():
            for identity, place, n in rows:
                known = tuple(part if use else "" for part, use in zip(identity, given, strict=True))
                index[(day, known)][place] += n  # type: ignore[index]
        return {key: dict(places) for key, places in index.items()}


@dataclass(frozen=True, slots=True)
class Unjoined:
    """Rows of one source and campaign that found neither a visit nor a page."""

    source: str
    campaign: str
    rows: int
    clicks: int
    cost: Decimal


@dataclass(frozen=True, slots=True)
class Joined:
    """How the spend of some days joined. `by_address` is the cost that no visit answered to."""

    total: Decimal
    by_address: Decimal
    unjoined: list[Unjoined]


def joined(site: Site, first: date, last: date) -> Joined:
    """How all of the site's spend from `first` to `last` joined; what did not, dearest first."""
    rows = of_days(
        CostPart,
        site.pk,
        first,
        last,
        "joined",
        lambda days: (
            CostPart.objects.filter(days, site=site)
            .values_list("day", "how", _of_nothing("source"), _of_nothing("campaign"))
            .annotate(Sum("rows"), Sum("clicks"), Sum("cost"))
        ),
    )
    by_how: defaultdict[int, Decimal] = defaultdict(Decimal)
    nothing: dict[tuple[str, str], Unjoined] = {}
    for _, how, source, campaign, n, clicks, cost in rows:
        by_how[how] += cost
        if how == How.NOTHING:
            before = nothing.get((source, campaign), Unjoined(source, campaign, 0, 0, Decimal(0)))
            nothing[source, campaign] = Unjoined(
                source, campaign, before.rows + n, before.clicks + clicks, before.cost + cost
            )
    return Joined(
        sum(by_how.values(), Decimal(0)),
        by_how[How.ADDRESS],
        sorted(nothing.values(), key=lambda u: (-u.cost, u.source, u.campaign)),
    )


def _of_nothing(field: str) -> Case:
    """The field's text of what joined nothing: of the rest nobody asks for it."""
    return Case(When(how=How.NOTHING, then=F(field)), default=Value(""))


def paid_under(lens: Lens) -> dict[tuple[date, int], Paid]:
    """What was paid, and what came of it, by day and page, of what the lens looks at.

    Of some people's visits only the cost is known: impressions and clicks are nobody's.
    """
    if lens.people is not None:
        return _paid_for(lens)
    wanted = Q(site=lens.site) & ~Q(how=How.NOTHING)
    kind, _, name = lens.origin.partition(":")
    if kind in ("channel", "source"):
        wanted &= Q(**{kind: name})
    if lens.device is not None:
        wanted &= Q(device=lens.device)
    rows = CostPart.objects.filter(wanted).values_list("day", "page_id")
    sums = of_days(
        CostPart,
        lens.site.pk,
        lens.first,
        lens.last,
        lens.sight and (lens.sight, "page"),
        lambda days: rows.filter(days).annotate(Sum("cost"), Sum("clicks"), Sum("impressions")),
    )
    return {(day, page_id): Paid(*rest) for day, page_id, *rest in sums}


def _paid_for(lens: Lens) -> dict[tuple[date, int], Paid]:
    rows = lens.visits().order_by().values_list("day", "entry_page_id", "origin_id", "device")
    visits = {(day, page, origin, device): n for day, page, origin, device, n in rows.annotate(Count("id"))}
    found: defaultdict[tuple[date, int], Paid] = defaultdict(Paid)
    for (day, page, *_), cost in cost_of_visits(lens.site, visits).items():
        found[day, page] += Paid(cost)
    return {place: Paid(paid.cost.quantize(Decimal("0.000001"))) for place, paid in found.items()}


Cell = tuple[date, int, int, int]  # day, entry page, origin, device


def cost_of_visits(site: Site, visits: Mapping[Cell, int]) -> dict[Cell, Decimal]:
    """What so many visits of each cell cost: the cost joined to the cell, by their part of its entries."""
    if not visits:
        return {}
    days = {cell[0] for cell in visits}
    span = {"site": site, "day__gte": min(days), "day__lte": max(days)}
    key = ("day", "page_id", "origin_id", "device")
    entries = {
        tuple(row): n
        for *row, n in TrafficDay.objects.filter(**span, entries__gt=0)
        .filter(page_id__in={c[1] for c in visits})
        .values_list(*key, "entries")
    }
    parts = CostPart.objects.filter(**span, how=How.VISITS, page_id__in={c[1] for c in visits})
    costs = {tuple(row): cost for *row, cost in parts.values_list(*key).annotate(Sum("cost"))}
    return {
        cell: costs[cell] * n / entries[cell]
        for cell, n in visits.items()
        if entries.get(cell) and cell in costs
    }
