"""A rule held against what has been recorded, while it is written."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from operator import itemgetter
from typing import Any, NamedTuple

from django.db.models import F, FloatField, Q, QuerySet, Sum
from django.db.models.functions import Cast, Extract

from clabo.collect.events.models import KIND_NAMES, Event, Kind, Page, TrafficClass, TrafficDay, Visit
from clabo.core import rules
from clabo.core.message import Message
from clabo.core.rules.rule_warnings import Caught, suspicions
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.matching.event_places import Place
from clabo.setup.conversions.matching.near_misses import NearMiss, near_misses
from clabo.setup.conversions.matching.selecting import Inventory, condition, success_pages
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.sites.models import Site

MOST_CAUGHT = 60
# Of a rule that takes in more events than this, a part of the visitors is looked at, so that the answer comes at once.
ALL_UP_TO = 8_000
# And of a rule that was not expected to, once so many have been read.
TOO_MANY = 60_000
# Since 1970: quicker to read than a date.
_SECONDS = Cast(Extract("time", "epoch", tzinfo=UTC), FloatField())


@dataclass(frozen=True, slots=True)
class Suspect:
    """A page among what is caught that may be caught by accident, and why."""

    page: Page
    events: int
    reasons: list[Message]


@dataclass(frozen=True, slots=True)
class BackCount:
    """A rule over the last `days` days, of visits that enter reports."""

    days: int
    first_day: date
    events: int
    conversions: int
    per_day: list[int]
    places: int
    caught: list[Place]
    near: list[NearMiss]
    suspects: list[Suspect]
    # What the rule asks for and the tag reports only once a rule asks for it.
    from_now_on: list[rules.Condition]
    # 1: all visitors were looked at; n: one in n, and the counts are estimates, times n.
    one_in: int
    # Against the rule in force, where this is a change of one that has been counted: conversions more, and fewer.
    change: tuple[int, int] | None
    # Of a rule that takes proven orders only: events of these days that it leaves aside for want of a proof.
    unproven: int = 0


def back_count(
    site: Site,
    rule: rules.Rule,
    counting: rules.Counting,
    days: int = 28,
    in_force: ConversionRule | None = None,
    proven_only: bool = False,
) -> BackCount:
    """What `rule` catches, how often, what it nearly catches, and what looks caught by accident."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    first = today - timedelta(days=days - 1)
    start = site.midnight(first)
    known = Inventory(site.pk)
    meant = condition(rule, known)
    met = meant & Q(proven=True) if proven_only else meant
    one_in = _one_in(site, rule, first, known)
    # A visit that reaches into the period began a day before it at most.
    since = start - timedelta(days=1)
    while (caught := _caught(_counted(site, one_in).filter(met), since)) is None:
        one_in *= 8
    counted = _counted(site, one_in)
    begun = start.timestamp()
    recent = [e for e in caught if e.time >= begun]
    places = _places(recent, known, one_in)
    conversions = _conversions(caught, counted.filter(met), since, counting)
    midnights = [site.midnight(first + timedelta(days=i)).timestamp() for i in range(days + 1)]
    # -1: before the period.
    per_day = Counter(bisect_right(midnights, e.time) - 1 for e in conversions)
    return BackCount(
        days,
        first,
        len(recent) * one_in,
        sum(per_day[i] for i in range(days)) * one_in,
        [per_day[i] * one_in for i in range(days)],
        len(places),
        places[:MOST_CAUGHT],
        near_misses(rule, counted.filter(time__gte=start), known, one_in),
        _suspects(places),
        _from_now_on(rule, known),
        one_in,
        _change([e for e in conversions if e.time >= begun], in_force, start, one_in) if in_force else None,
        counted.filter(meant, proven=False, time__gte=start).count() * one_in if proven_only else 0,
    )


class _Event(NamedTuple):
    """What counting and listing need of a caught event. Time in seconds since 1970."""

    time: float
    visitor: int
    visit: int | None
    order: str
    kind: int
    page_id: int
    element_id: int | None
    name: str
    views: int


def _counted(site: Site, one_in: int) -> QuerySet[Event]:
    """The events that enter reports, of one visitor in `one_in`."""
    # The visits that do not count are few: leaving them out is cheaper than joining all the others.
    uncounted = Visit.objects.filter(site=site, traffic_class__gt=TrafficClass.COUNTED).values("pk")
    counted = Event.objects.filter(site=site).exclude(visit_id__in=uncounted)
    return counted.annotate(bucket=F("visitor_id") % one_in).filter(bucket=0) if one_in > 1 else counted


def _caught(events: QuerySet[Event], since: datetime) -> list[_Event] | None:
    """The events from then on, in time order; None where they are too many to look at one by one."""
    columns = ("at", "visitor_id", "visit_id", "order", "kind", "page_id", "element_id", "name", "views")
    late = events.filter(time__gte=since)
    rows = late.annotate(at=_SECONDS).values_list(*columns)[: TOO_MANY + 1]
    found = [_Event._make(row) for row in rows]
    return sorted(found, key=itemgetter(0)) if len(found) <= TOO_MANY else None


def _conversions(
    caught: Sequence[_Event], met: QuerySet[Event], since: datetime, counting: rules.Counting
) -> list[_Event]:
    """Which of the caught events are conversions, given all that meet the rule."""
    first = _first_received(met, {e.order for e in caught if e.order})
    caught = [e for e in caught if not e.order or first[e.order] == (e.visitor, e.time)]
    found = rules.by_mode(caught, counting)
    if counting == "visitor":
        # Nobody converts twice, however long ago the first time was.
        before = met.filter(time__lt=since)
        past = set(before.filter(order="").values_list("visitor_id", flat=True))
        orders = set(before.exclude(order="").values_list("order", flat=True))
        earliest = since.timestamp()
        past |= {who for who, at in _first_received(met, orders).values() if at < earliest}
        found = [e for e in found if e.visitor not in past]
    return found


def _first_received(met: QuerySet[Event], orders: Collection[str]) -> dict[str, tuple[int, float]]:
    """Visitor and time of the event that brought each of these order numbers first."""
    if not orders:
        return {}
    rows = met.filter(order__in=orders).order_by("-received", "-id").annotate(at=_SECONDS)
    return {order: (who, at) for order, who, at in rows.values_list("order", "visitor_id", "at")}


def _change(
    conversions: Sequence[_Event], in_force: ConversionRule, start: datetime, one_in: int
) -> tuple[int, int] | None:
    """How many conversions come and go from `start` on; None while the rule in force is still being counted."""
    if in_force.counted_version != in_force.version:
        return None
    counted = Conversion.objects.reported().filter(rule=in_force, time__gte=start)
    if one_in > 1:
        counted = counted.annotate(bucket=F("visitor_id") % one_in).filter(bucket=0)
    # An event by its visit and time: ids would take longer to read, for every event that is caught.
    before = set(counted.annotate(at=_SECONDS).values_list("visit_id", "at"))
    after = {(e.visit, e.time) for e in conversions}
    return len(after - before) * one_in, len(before - after) * one_in


def _one_in(site: Site, rule: rules.Rule, first: date, known: Inventory) -> int:
    """How many visitors one is looked at for: more than one only where a rule takes in a great deal.

    Views are those of the daily counts; of an element, its part of what has been seen of it in all.
    """
    traffic = TrafficDay.objects.filter(site=site, day__gte=first)
    facts = [fact for leaf in rules.leaves(rule) for fact in leaf.facts]
    if not any(isinstance(fact, rules.ViewsSoFar) for fact in facts):
        traffic = traffic.filter(in_array("page_id", success_pages(rule, known)))
    views = traffic.aggregate(n=Sum("views"))["n"]
    start = site.midnight(first)
    acts = 0.0
    for fact in facts:
        if isinstance(fact, rules.OnElement):
            met = set(known.elements_met(fact.asked))
            for element in known.elements:
                if element.pk in met and element.last_at >= start:
                    whole = (element.last_at - element.first_at).total_seconds() or 1.0
                    recent = (element.last_at - max(start, element.first_at)).total_seconds() or 1.0
                    acts += element.times * recent / whole
    return 1 + int((views or 0) + acts) // ALL_UP_TO


def _places(caught: Sequence[_Event], known: Inventory, one_in: int) -> list[Place]:
    """The caught events by where they happened, most often first."""
    elements = {e.pk: e for e in known.elements}
    groups: defaultdict[tuple[Any, ...], list[_Event]] = defaultdict(list)
    for event in caught:
        groups[event[4:8]].append(event)
    pages = known.pages(page_id for _, page_id, _, _ in groups)
    found = [
        Place(
            KIND_NAMES[kind],
            pages[page_id],
            elements.get(element_id),
            name,
            len(own) * one_in,
            len({e.visit or (e.visitor, e.time) for e in own}) * one_in,
            sum(e.kind == Kind.VIEW and e.views == 1 for e in own) * one_in,
        )
        for (kind, page_id, element_id, name), own in groups.items()
        if page_id in pages
    ]
    return sorted(found, key=lambda p: -p.events)


def _suspects(places: Sequence[Place]) -> list[Suspect]:
    by_page: defaultdict[int, list[Place]] = defaultdict(list)
    for place in places:
        if place.kind == "view":
            by_page[place.page.pk].append(place)
    groups = [
        Caught(sum(p.events for p in own), sum(p.visits for p in own), sum(p.begun for p in own))
        for own in by_page.values()
    ]
    found = [
        Suspect(own[0].page, group.events, reasons)
        for own, group, reasons in zip(by_page.values(), groups, suspicions(groups), strict=True)
        if reasons
    ]
    return sorted(found, key=lambda s: -s.events)


def _from_now_on(rule: rules.Rule, known: Inventory) -> list[rules.Condition]:
    """The conditions that nothing recorded can meet yet, because the tag was not asked for them before."""
    return [leaf for leaf in rules.leaves(rule) if leaf.on_demand() and not _recorded(leaf, known)]


def _recorded(leaf: rules.Condition, known: Inventory) -> bool:
    """Whether there is anything like what the condition asks for."""
    for fact in leaf.facts:
        if isinstance(fact, rules.OnElement):
            return bool(known.elements_met(fact.asked))
        if isinstance(fact, rules.OfKind):
            return Event.objects.filter(site_id=known.site_id, kind=Kind[fact.kind.upper()]).exists()
    return True
