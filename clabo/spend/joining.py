"""Which landing page each cost belongs to (docs/definitions.md, "How cost finds its page").

Cost follows the clicks: a row's cost is spread over the landing pages of that day's visits which
carry its source, campaign, ad group and ad; failing that, over visits whose link left the ad, or the
ad group and the ad, unsaid. Where several rows of a day differ only in the landing
address, each keeps to visits that entered there. A row that no visit answers to goes to the page
that it names; what names no known page either did not join.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal

from django.db.models import Sum

from clabo.collect.models import TrafficDay
from clabo.conversions.lens import Lens
from clabo.core.channels import Channel
from clabo.core.returns import spread
from clabo.sites.models import Site
from clabo.spend.models import SpendRow

Identity = tuple[str, str, str, str]  # source, campaign, ad group, ad; lower-cased
PAID: Channel = "paid"


@dataclass(frozen=True, slots=True)
class Place:
    """Where a part of a cost belongs. `device` is 0 where no visit tells."""

    page_id: int
    channel: str
    source: str
    device: int


@dataclass(slots=True)
class Unjoined:
    """Rows of one source and campaign that found neither a visit nor a page."""

    source: str
    campaign: str
    rows: int
    clicks: int
    cost: Decimal


@dataclass(slots=True)
class Joined:
    """Cost by day and place, and what did not join. `by_address` is the cost that no visit answered to."""

    cost: dict[tuple[date, Place], Decimal] = field(default_factory=lambda: defaultdict(Decimal))
    unjoined: list[Unjoined] = field(default_factory=list)
    by_address: Decimal = Decimal(0)
    total: Decimal = Decimal(0)


@dataclass(frozen=True, slots=True)
class _Group:
    day: date
    identity: Identity
    source: str
    campaign: str
    page_id: int | None
    rows: int
    clicks: int
    cost: Decimal


def join(site: Site, first: date, last: date) -> Joined:
    """All of the site's spend from `first` to `last`, joined."""
    groups = _groups(site, first, last)
    result = Joined()
    if not groups:
        return result
    landings: defaultdict[tuple[date, Identity], set[int]] = defaultdict(set)
    for group in groups:
        if group.page_id:
            landings[(group.day, group.identity)].add(group.page_id)
    entries = _Entries(site, first, last, {g.identity[0] for g in groups})
    unjoined: dict[tuple[str, str], Unjoined] = {}
    for group in groups:
        result.total += group.cost
        found = entries.matching(group.day, group.identity)
        if group.page_id and len(landings[(group.day, group.identity)]) > 1:
            found = {place: n for place, n in found.items() if place.page_id == group.page_id}
        if found:
            for place, part in spread(group.cost, found).items():
                result.cost[(group.day, place)] += part
        elif group.page_id:
            place = Place(group.page_id, PAID, group.identity[0], 0)
            result.cost[(group.day, place)] += group.cost
            result.by_address += group.cost
        elif group.cost or group.clicks:
            row = unjoined.setdefault(
                (group.source, group.campaign), Unjoined(group.source, group.campaign, 0, 0, Decimal(0))
            )
            row.rows += group.rows
            row.clicks += group.clicks
            row.cost += group.cost
    result.unjoined = sorted(unjoined.values(), key=lambda u: -u.cost)
    return result


def _groups(site: Site, first: date, last: date) -> list[_Group]:
    """The rows of the period, those alike together."""
    found: dict[tuple[date, Identity, int | None], _Group] = {}
    for row in SpendRow.objects.filter(site=site, day__gte=first, day__lte=last).values_list(
        "day", "source", "campaign", "ad_group", "ad", "page_id", "clicks", "cost"
    ):
        day, source, campaign, ad_group, ad, page_id, clicks, cost = row
        identity = (source.lower(), campaign.lower(), ad_group.lower(), ad.lower())
        key = (day, identity, page_id)
        old = found.get(key)
        if old:
            clicks, cost, n = clicks + old.clicks, cost + old.cost, old.rows + 1
        else:
            n = 1
        found[key] = _Group(day, identity, source, campaign, page_id, n, clicks, cost)
    return list(found.values())


class _Entries:
    """Entries of visits by day and campaign identity; what a file's row leaves blank matches anything."""

    def __init__(self, site: Site, first: date, last: date, sources: Collection[str]) -> None:
        self._rows: defaultdict[date, list[tuple[Identity, Place, int]]] = defaultdict(list)
        self._index: dict[tuple[bool, ...], dict[tuple[date, Identity], dict[Place, int]]] = {}
        rows = (
            TrafficDay.objects.filter(site=site, day__gte=first, day__lte=last, entries__gt=0)
            .filter(origin__source__in=sources)
            .values_list(
                "day",
                "page_id",
                "device",
                "origin__channel",
                "origin__source",
                "origin__campaign",
                "origin__ad_group",
                "origin__ad",
            )
            .annotate(n=Sum("entries"))
        )
        for day, page_id, device, channel, source, campaign, ad_group, ad, n in rows:
            identity = (source.lower(), campaign.lower(), ad_group.lower(), ad.lower())
            self._rows[day].append((identity, Place(page_id, channel, source, device), n))

    def matching(self, day: date, identity: Identity) -> dict[Place, int]:
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

    def _build(self, given: tuple[bool, ...]) -> dict[tuple[date, Identity], dict[Place, int]]:
        index: defaultdict[tuple[date, Identity], defaultdict[Place, int]] = defaultdict(
            lambda: defaultdict(int)
        )
        for day, rows in self._rows.items():
            for identity, place, n in rows:
                known = tuple(part if use else "" for part, use in zip(identity, given, strict=True))
                index[(day, known)][place] += n  # type: ignore[index]
        return {key: dict(places) for key, places in index.items()}


def cost_under(lens: Lens, joined: Joined) -> dict[tuple[date, int], Decimal]:
    """The joined cost by day and page, of what the lens looks at."""
    kind, _, name = lens.origin.partition(":")
    found: defaultdict[tuple[date, int], Decimal] = defaultdict(Decimal)
    for (day, place), cost in joined.cost.items():
        if lens.device is not None and place.device != lens.device:
            continue
        if (kind == "channel" and place.channel != name) or (kind == "source" and place.source != name):
            continue
        found[(day, place.page_id)] += cost
    return found
