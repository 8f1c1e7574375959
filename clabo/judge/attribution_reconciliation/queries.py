"""What the ad side says against what Clabo saw, by source and day, with the parts of the difference."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, F, Max, Q, Sum

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import SERVER_KINDS, Event, TrafficClass, TrafficDay, Visit
from clabo.core.evidence import Interval, count_ratio
from clabo.core.money.attribution_reconciliation import (
    ByDay,
    Claimed,
    Click,
    Counting,
    Part,
    Placed,
    Steps,
    Tally,
    placed,
    steps,
    together,
    total,
)
from clabo.judge.attribution_reconciliation.models import AdSide
from clabo.judge.attribution_reconciliation.services import ad_side
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.sites.models import Consent, Site
from clabo.use.spend.models import SpendRow

MOST_SOURCES = 50


@dataclass(slots=True)
class AdSideCounts:
    """What the ad side says of one day: None where its files have no such column."""

    clicks: int = 0
    conversions: Decimal | None = None
    value: Decimal | None = None
    view_conversions: Decimal | None = None

    @property
    def all(self) -> Decimal | None:
        """All that it claims: after clicks, and after ads that were only seen."""
        return _plus(self.conversions, self.view_conversions)


@dataclass(slots=True)
class Arrived:
    """Visits by a source's ads on one day: those that reports count, robots', and own ones or those set aside."""

    visits: int = 0
    robots: int = 0
    own: int = 0


@dataclass(frozen=True, slots=True)
class SideDay:
    """One source on one day, on both sides; conversions stand on the day of the click."""

    day: date
    said: AdSideCounts
    arrived: Arrived
    seen: Tally
    claimed: Tally


@dataclass(slots=True)
class Side:
    """One source. `parts`: what leads from Clabo's count to the ad side's, as far as it can be measured; then the rest.

    The rest is None where the files do not say what the ad side counts.
    """

    counting: AdSide
    said: AdSideCounts
    arrived: Arrived
    seen: Tally
    parts: list[tuple[Part, Tally]]
    rest: Decimal | None
    rest_value: Decimal | None
    landing: Interval
    days: list[SideDay] = field(default_factory=list)


@dataclass(frozen=True, slots=True)
class TwoCounts:
    """Sources that spend files name, those with most clicks first. `asks`: visitors are asked before anything is seen."""

    sides: list[Side]
    asks: bool


def two_counts(lens: Lens) -> TwoCounts:
    """Both counts of the lens's conversion over its days; of its origin and device everything is looked at."""
    said = _said(lens)
    clicks = {source: sum(of.clicks for of in by_day.values()) for source, by_day in said.items()}
    sources = sorted(said, key=lambda s: (-clicks[s], s))[:MOST_SOURCES]
    arrived = _arrived(lens, sources)
    seen = _seen(lens, sources)
    sides = {source: ad_side(lens.site, source) for source in sources}
    claimed = _claimed(lens, sides)
    return TwoCounts(
        [
            _side(
                lens,
                sides[s],
                said[s],
                arrived[s],
                seen[s],
                steps(claimed[s], sides[s].once, lens.first, lens.last),
            )
            for s in sources
        ],
        lens.site.consent == Consent.ASK,
    )


def _side(
    lens: Lens,
    counting: AdSide,
    said: dict[date, AdSideCounts],
    arrived: dict[date, Arrived],
    seen: ByDay,
    found: Steps,
) -> Side:
    all_said, all_arrived = AdSideCounts(), Arrived()
    for of_day in said.values():
        all_said.clicks += of_day.clicks
        all_said.conversions = _plus(all_said.conversions, of_day.conversions)
        all_said.value = _plus(all_said.value, of_day.value)
        all_said.view_conversions = _plus(all_said.view_conversions, of_day.view_conversions)
    for came in arrived.values():
        all_arrived.visits += came.visits
        all_arrived.robots += came.robots
        all_arrived.own += came.own
    ours, parts = total(seen), []
    last = ours
    named: list[tuple[Part, ByDay]] = [
        ("shared", found.shared),
        ("window", found.window),
        ("counting", found.counting),
        ("days", found.days),
        ("uncounted", found.uncounted),
    ]
    for part, by_day in named:
        now = total(by_day)
        parts.append((part, now - last))
        last = now
    if all_said.view_conversions is not None:
        # Their value is in no file.
        seen_only = Tally(all_said.view_conversions)
        parts.append(("view_through", seen_only))
        last = Tally(last.conversions + seen_only.conversions, last.value)
    nothing, nobody = Tally(), Arrived()
    shown = sorted({*said, *arrived, *seen, *found.claimed})
    return Side(
        counting,
        all_said,
        all_arrived,
        ours,
        parts,
        None if all_said.all is None else all_said.all - last.conversions,
        None if all_said.value is None else all_said.value - last.value,
        count_ratio(all_arrived.visits, all_said.clicks),
        [
            SideDay(
                day,
                said.get(day, AdSideCounts()),
                arrived.get(day, nobody),
                seen.get(day, nothing),
                found.claimed.get(day, nothing),
            )
            for day in shown
        ],
    )


def _plus(a: Decimal | None, b: Decimal | None) -> Decimal | None:
    return b if a is None else a if b is None else a + b


def _said(lens: Lens) -> dict[str, dict[date, AdSideCounts]]:
    rows = SpendRow.objects.filter(site=lens.site, day__gte=lens.first, day__lte=lens.last)
    found: defaultdict[str, dict[date, AdSideCounts]] = defaultdict(dict)
    for source, day, *sums in rows.values_list("source", "day").annotate(
        Sum("clicks"), Sum("conversions"), Sum("value"), Sum("view_conversions")
    ):
        of_day = found[source.lower()].setdefault(day, AdSideCounts())
        of_day.clicks += sums[0]
        of_day.conversions = _plus(of_day.conversions, sums[1])
        of_day.value = _plus(of_day.value, sums[2])
        of_day.view_conversions = _plus(of_day.view_conversions, sums[3])
    return found


def _arrived(lens: Lens, sources: Collection[str]) -> defaultdict[str, dict[date, Arrived]]:
    found: defaultdict[str, dict[date, Arrived]] = defaultdict(dict)
    named = {"site": lens.site, "origin__source__in": sources}
    span = (lens.site.pk, lens.first, lens.last, ("arrived", tuple(sources)))
    counts = TrafficDay.objects.filter(**named).values_list("day", "origin__source").annotate(Sum("entries"))
    for day, source, n in of_days(TrafficDay, *span, lambda days: counts.filter(days)):
        found[source].setdefault(day, Arrived()).visits += n
    others = (
        Visit.objects.filter(**named, views__gt=0)
        .exclude(traffic_class=TrafficClass.COUNTED)
        .values_list("day", "origin__source", "traffic_class")
        .annotate(Count("id"))
    )
    for day, source, kind, n in of_days(Visit, *span, lambda days: others.filter(days)):
        of_day = found[source].setdefault(day, Arrived())
        if kind == TrafficClass.BOT:
            of_day.robots += n
        elif kind != TrafficClass.REHEARSAL:
            of_day.own += n
    return found


def _seen(lens: Lens, sources: Collection[str]) -> defaultdict[str, ByDay]:
    """What reports credit to each source, by day."""
    found: defaultdict[str, ByDay] = defaultdict(dict)
    if lens.rule:
        credits = _everywhere(lens).credits().filter(rule=lens.rule, origin__source__in=sources)
        rows = credits.values_list("origin__source", "day").annotate(Sum("share"), Sum("value"))
        for source, day, share, value in rows:
            found[source][day] = Tally(share, value or Decimal(0))
    return found


def _everywhere(lens: Lens) -> Lens:
    return Lens(lens.site, lens.first, lens.last, "any", None, lens.rule, lens.model)


def _countings(site: Site, sides: Mapping[str, AdSide]) -> dict[str, tuple[Counting, Counting]]:
    """How Clabo counts, and how each ad side does."""
    ours = Counting(site.attribution_window_days, False, site.zone)
    return {
        source: (ours, Counting(s.window_days, s.once, ZoneInfo(s.time_zone) if s.time_zone else site.zone))
        for source, s in sides.items()
    }


def _claimed(lens: Lens, sides: dict[str, AdSide]) -> defaultdict[str, list[Placed]]:
    """Conversions with a click of each source that may fall on the lens's days, by anybody's count."""
    found: defaultdict[str, list[Placed]] = defaultdict(list)
    rule = lens.rule
    if not rule or not sides:
        return found
    countings = _countings(lens.site, sides)
    longest = max(how.window_days for both in countings.values() for how in both)
    delays = Conversion.objects.filter(site=lens.site, rule=rule).aggregate(
        most=Max(F("time") - F("acted_at"))
    )
    # Outcomes are told of so much later than the clicks can be that led to them.
    reach = longest + 2 + (delays["most"].days + 1 if delays["most"] else 0)
    rows = of_days(
        (Visit, Credit),
        lens.site.pk,
        # A day more on either side: their midnight may be another. A later click takes a conversion away from a day.
        lens.first - timedelta(days=1),
        lens.last + timedelta(days=reach),
        ("claimed", rule.pk, str(countings)),
        lambda days: _alike_together(_claimed_on(lens.site, rule, countings, longest, days), countings),
        # Whatever happens to a visit, or to what is credited to one, lies so far before its conversion at most.
        back=reach,
    )
    for _, source, claimed in rows:
        found[source].append(claimed)
    return found


def _alike_together(
    rows: Iterable[tuple[date, str, Placed]], countings: Mapping[str, tuple[Counting, Counting]]
) -> Iterator[tuple[date, str, Placed]]:
    """Each day's conversions of a source as few rows, where its side does not count once a click."""
    by_day: defaultdict[tuple[date, str], list[Placed]] = defaultdict(list)
    for day, source, conversion in rows:
        by_day[day, source].append(conversion)
    for (day, source), every in by_day.items():
        for conversion in every if countings[source][1].once else together(every):
            yield day, source, conversion


def _claimed_on(
    site: Site,
    rule: ConversionRule,
    countings: Mapping[str, tuple[Counting, Counting]],
    longest: int,
    days: Q,
) -> Iterator[tuple[date, str, Placed]]:
    """Day, source and conversion for each source that brought a click before it, in the longest window."""
    conversions = (
        Conversion.objects.filter(days, site=site, rule=rule)
        .exclude(visit__traffic_class=TrafficClass.REHEARSAL)
        .values_list(
            *("day", "event_id", "visitor_id", "time", "visit_id", "visit__traffic_class"),
            *("value", "currency", "beyond", "acted_at"),
        )
    )
    every = list(conversions)
    if not every:
        return
    # What an outcome is of was led to by the clicks before that, however late the outcome was told.
    acted = {row[1]: row[-1] or row[3] for row in every}
    times = list(acted.values())
    clicks: defaultdict[int, list[tuple[str, bool, Click]]] = defaultdict(list)
    visits = (
        Visit.objects.filter(
            in_array("visitor_id", {row[2] for row in every}),
            site=site,
            started_at__gte=min(times) - timedelta(days=longest + 1),
            started_at__lte=max(times),
            views__gt=0,
            origin__source__in=list(countings),
        )
        .exclude(traffic_class=TrafficClass.REHEARSAL)
        .order_by("started_at", "id")
    )
    of_visits = visits.values_list("id", "visitor_id", "started_at", "origin__source", "traffic_class")
    for pk, visitor, began, source, kind in of_visits:
        clicks[visitor].append((source, kind == TrafficClass.COUNTED, Click(pk, began)))
    every = [row for row in every if row[2] in clicks]
    reported = _reported(site, {row[1]: row[3] for row in every})
    for day, event, visitor, _, visit, of_visit, value, currency, beyond, _ in every:
        time = acted[event]
        counted = of_visit in (None, TrafficClass.COUNTED)
        by_source: defaultdict[str, list[Click]] = defaultdict(list)
        earliest = time - timedelta(days=longest + 1)
        for source, in_reports, click in clicks[visitor]:
            if earliest <= click.start <= time and (in_reports or not counted):
                by_source[source].append(click)
        own = None if event in reported else visit
        summed = Decimal(0) if currency or beyond else value or Decimal(0)
        for source, some in by_source.items():
            yield day, source, placed(Claimed(time, summed, some, own, not counted), *countings[source])


def _reported(site: Site, conversions: Mapping[UUID, datetime]) -> set[object]:
    """The events of these that a server has reported: they did not happen in the visit that they hang on."""
    if not conversions:
        return set()
    events = Event.objects.filter(
        in_array("id", set(conversions), "uuid"),
        site=site,
        time__gte=min(conversions.values()),
        time__lte=max(conversions.values()),
        kind__in=SERVER_KINDS,
    )
    return set(events.values_list("id", flat=True))
