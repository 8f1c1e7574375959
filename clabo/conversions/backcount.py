"""A rule held against what has been recorded, while it is written."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from uuid import UUID

from django.db.models import Count, F, Min, Q, QuerySet, Sum
from django.db.models.functions import TruncDate

from clabo.collect.models import KIND_NAMES, Element, Event, Kind, Page, Standing, TrafficDay, Visit
from clabo.conversions.selecting import Inventory, condition, leaf_condition, success_pages
from clabo.core import rules
from clabo.core.addresses import Address
from clabo.core.rehearsal import alike
from clabo.core.suspicion import Caught, suspicions
from clabo.sites.models import Site

MOST_CAUGHT = 60
MOST_NEAR = 20
# So many parts of a rule are looked at for near misses: each is a query.
MOST_PARTS = 8
# Of a rule that takes in more events than this, a part of the visitors is looked at, so that the answer comes at once.
ALL_UP_TO = 25_000


@dataclass(frozen=True, slots=True)
class Place:
    """Events in one place: of one kind, on a page, with an element, under a name. `visits` may be unknown."""

    kind: str
    page: Page
    element: Element | None
    name: str
    events: int
    visits: int
    begun: int


@dataclass(frozen=True, slots=True)
class Suspect:
    """A page among what is caught that may be caught by accident, and why."""

    page: Page
    events: int
    reasons: list[str]


@dataclass(frozen=True, slots=True)
class NearMiss:
    """Events that meet all of a rule but one condition, and which."""

    place: Place
    reason: str


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
    from_now_on: list[str]
    # 1: all visitors were looked at; n: one in n, and the counts are estimates, times n.
    one_in: int


def back_count(site: Site, rule: rules.Rule, counting: rules.Counting, days: int = 28) -> BackCount:
    """What `rule` catches, how often, what it nearly catches, and what looks caught by accident."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    first = today - timedelta(days=days - 1)
    start = datetime.combine(first, datetime.min.time(), site.zone)
    known = Inventory(site.pk)
    met = condition(rule, known)
    # The visits that do not count are few: leaving them out is cheaper than joining all the others.
    uncounted = Visit.objects.filter(site=site, standing__gt=Standing.COUNTED).values("pk")
    counted = Event.objects.filter(site=site).exclude(visit_id__in=uncounted)
    one_in = _one_in(site, rule, first, known)
    if one_in > 1:
        counted = counted.annotate(bucket=F("visitor_id") % one_in).filter(bucket=0)
    recent = counted.filter(time__gte=start)
    places = _places(recent.filter(met), known, one_in)
    per_day = _per_day(site, counted.filter(met), counting, start)
    for day in per_day:
        per_day[day] *= one_in
    return BackCount(
        days,
        first,
        sum(p.events for p in places),
        sum(per_day.values()),
        [per_day[first + timedelta(days=i)] for i in range(days)],
        len(places),
        places[:MOST_CAUGHT],
        _near(rule, recent, met, known, one_in),
        _suspects(places),
        _from_now_on(rule, known),
        one_in,
    )


def _one_in(site: Site, rule: rules.Rule, first: date, known: Inventory) -> int:
    """How many visitors one is looked at for: more than one only where a rule takes in a great deal.

    Views are those of the daily counts; of an element, its part of what has been seen of it in all.
    """
    page_ids = success_pages(rule, known)
    if any(isinstance(leaf, rules.PagesSeen) for leaf in rules.leaves(rule)):
        page_ids = {p.pk for p in known.pages}
    views = TrafficDay.objects.filter(site=site, day__gte=first, page_id__in=page_ids).aggregate(
        n=Sum("views")
    )["n"]
    start = datetime.combine(first, datetime.min.time(), site.zone)
    acts = 0.0
    for leaf in rules.leaves(rule):
        if isinstance(leaf, rules.FormSubmitted | rules.Clicked | rules.FrameMessage | rules.ElementShown):
            met = set(known.elements_met(leaf))
            for element in known.elements:
                if element.pk in met and element.last_at >= start:
                    whole = (element.last_at - element.first_at).total_seconds() or 1.0
                    recent = (element.last_at - max(start, element.first_at)).total_seconds() or 1.0
                    acts += element.times * recent / whole
    return 1 + int((views or 0) + acts) // ALL_UP_TO


def _places(events: QuerySet[Event], known: Inventory, one_in: int = 1) -> list[Place]:
    pages = {p.pk: p for p in known.pages}
    rows = (
        events.values_list("kind", "page_id", "element_id", "name")
        .annotate(
            n=Count("id"),
            visits=Count("visit_id", distinct=True),
            begun=Count("id", filter=Q(kind=Kind.VIEW, views=1)),
        )
        .order_by("-n")
    )
    elements = {e.pk: e for e in known.elements}
    return [
        Place(
            KIND_NAMES[kind],
            pages[page_id],
            elements.get(element_id),
            name,
            n * one_in,
            visits * one_in,
            begun * one_in,
        )
        for kind, page_id, element_id, name, n, visits, begun in rows
        if page_id in pages
    ]


def _per_day(site: Site, events: QuerySet[Event], counting: rules.Counting, start: datetime) -> Counter[date]:
    repeats = _repeated_orders(events)
    if repeats:
        events = events.exclude(id__in=repeats)
    if counting == "every":
        rows = events.filter(time__gte=start).annotate(day=TruncDate("time", tzinfo=site.zone))
        return Counter(dict(rows.values_list("day").annotate(n=Count("id"))))
    # "Once a visitor" looks at all of the past, as the rule itself will; a visit lasts into the period at most.
    who = "visitor_id" if counting == "visitor" else "visit_id"
    if counting == "visit":
        events = events.filter(time__gte=start - timedelta(days=1))
    firsts = events.values_list(who).annotate(first=Min("time"))
    zone = site.zone
    return Counter(t.astimezone(zone).date() for t in firsts.values_list("first", flat=True) if t >= start)


def _repeated_orders(events: QuerySet[Event]) -> list[UUID]:
    """Events whose order number an earlier one has had."""
    seen: set[str] = set()
    repeats = []
    for order, event_id in (
        events.exclude(order="").order_by("time", "id").values_list("order", "id").iterator()
    ):
        if order in seen:
            repeats.append(event_id)
        seen.add(order)
    return repeats


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


def _near(rule: rules.Rule, recent: QuerySet[Event], met: Q, known: Inventory, one_in: int) -> list[NearMiss]:
    found: list[NearMiss] = []
    for part in _parts(rule)[:MOST_PARTS]:
        nearly = _nearly(part, known)
        if nearly is None:
            continue
        events = recent.filter(condition(rule, known, (part, nearly)) & ~met)
        found += [NearMiss(p, _reason(part, p)) for p in _places(events, known, one_in)[:MOST_NEAR]]
    found.sort(key=lambda n: -n.place.events)
    return found[:MOST_NEAR]


def _parts(rule: rules.Rule) -> list[rules.Rule]:
    """The conditions of a rule, and its negations as wholes."""
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        return [each for part in rule.parts for each in _parts(part)]
    return [rule]


def _nearly(part: rules.Rule, known: Inventory) -> Q | None:
    """What nearly meets one part: the same kind of thing, with one trait that differs."""
    if isinstance(part, rules.Not):
        return condition(part.part, known)
    if isinstance(part, rules.PageReached | rules.OnPage):
        likely = [
            p.pk
            for p in known.pages
            if not part.fits(Address(p.host, p.path)) and alike(part.match, part.value, p.path)
        ]
        kind = Q(kind=Kind.VIEW) if isinstance(part, rules.PageReached) else Q()
        return kind & Q(page_id__in=likely)
    if isinstance(part, rules.FormSubmitted | rules.FrameMessage | rules.Clicked):
        kind_number = Kind[part.kind.upper()]
        one_off = [
            e.pk for e in known.elements if e.kind == kind_number and len(part.element_misses(e.traits)) == 1
        ]
        nearly = Q(kind=kind_number, element_id__in=one_off)
        if isinstance(part, rules.FormSubmitted):
            tried = [
                e.pk for e in known.elements if e.kind == Kind.TRIED and not part.element_misses(e.traits)
            ]
            nearly |= Q(kind=Kind.TRIED, element_id__in=tried)
        return nearly
    if isinstance(part, rules.CodeEvent) and part.where:
        nearly = Q(kind__in=[])
        for place in range(len(part.where)):
            others = part.where[:place] + part.where[place + 1 :]
            nearly |= leaf_condition(rules.CodeEvent(part.name, others), known)
        return nearly
    if isinstance(part, rules.PagesSeen) and part.least > 1:
        return Q(views=part.least - 1)
    return None


def _reason(part: rules.Rule, place: Place) -> str:
    if isinstance(part, rules.Not):
        return f"{rules.sentence(part.part)}, and must not"
    if isinstance(part, rules.CodeEvent):
        return f"its properties do not meet: {', '.join(t.reading() for t in part.where)}"
    seen = rules.Occurrence(
        place.kind,  # type: ignore[arg-type]
        Address(place.page.host, place.page.path),
        element=place.element.traits if place.element else {},
        name=place.name,
        views=0,
    )
    if isinstance(part, rules.PagesSeen):
        return f"one page short of {part.least}"
    if place.kind == "tried":
        return "it was tried, and no success was seen: name the thank-you that appears"
    return "; ".join(rules.misses(part, seen))


def _from_now_on(rule: rules.Rule, known: Inventory) -> list[str]:
    """The conditions that nothing recorded can meet yet, because the tag was not asked for them before."""
    waiting = []
    for leaf in rules.leaves(rule):
        if isinstance(leaf, rules.ElementShown) and not known.elements_met(leaf):
            waiting.append(leaf.reading())
        elif isinstance(leaf, rules.Stayed | rules.Scrolled):
            kind = Kind[leaf.kind.upper()]
            if not Event.objects.filter(site_id=known.site_id, kind=kind).exists():
                waiting.append(leaf.reading())
        elif isinstance(leaf, rules.Clicked) and leaf.selector and not known.elements_met(leaf):
            waiting.append(leaf.reading())
    return waiting
