"""One person: found, told by what they did, and held against audiences."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

from django.db.models import Count
from pyroaring import BitMap

from clabo.collect.events.models import Device, Event, Identity, Statement, TrafficClass, Visit, Visitor
from clabo.core import audiences
from clabo.core.audiences import LONGEST, All, Definition, Part, Sequence, What
from clabo.core.audiences.person import Line, Person
from clabo.core.audiences.predicates import Arrival, Happening
from clabo.platform.db.arrays import in_array
from clabo.platform.problems import Problem, missing
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.people import Population, Source
from clabo.use.audiences.evaluation.variants import tests_of
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others

MOST_EVENTS = 5000
SHOWN = 10
# Whoever is looked at to find those who came in last.
LOOKED_AT = 60


def histories(site: Site, visitor_ids: Collection[int]) -> dict[int, list[Happening]]:
    """What reports show of these visitors over the longest lookback, in order; their newest events where they are too many."""
    if not visitor_ids:
        return {}
    since = datetime.now(UTC) - timedelta(days=LONGEST + 2)
    found: defaultdict[int, list[Happening]] = defaultdict(list)
    zone = site.zone
    these = in_array("visitor_id", visitor_ids)
    events = Event.objects.reported().filter(these, site=site, time__gte=since)
    for event in events.select_related("page", "element").order_by("-time")[: MOST_EVENTS * len(visitor_ids)]:
        seen = occurrence(event, event.page, event.element)
        found[event.visitor_id].append(
            Happening(event.time, event.time.astimezone(zone).date(), event=seen, about=event)
        )
    devices = {d.value: d.label for d in Device}
    visits = Visit.objects.filter(these, site=site, traffic_class=TrafficClass.COUNTED, started_at__gte=since)
    for visit in visits.select_related("origin"):
        o = visit.origin
        arrival = Arrival(
            *(o.channel, o.source, o.medium, o.campaign, o.ad_group, o.ad),
            visit.sub_ids or {},
            devices[visit.device],
            visit.number == 1,
        )
        found[visit.visitor_id].append(Happening(visit.started_at, visit.day, arrival=arrival, about=visit))
    conversions = Conversion.objects.reported().filter(these, site=site, time__gte=since)
    for c in conversions.select_related("rule"):
        found[c.visitor_id].append(
            Happening(c.time, c.time.astimezone(zone).date(), conversion=c.rule_id, about=c)
        )
    tests = tests_of(site.pk)
    for seen_at, pk, test, letter, visit_id in (
        tests.exposures.filter(these, first_at__gte=since).values_list(
            "first_at", "visitor", "test_id", "letter", "visit_id"
        )
        if tests
        else ()
    ):
        day = seen_at.astimezone(zone).date()
        found[pk].append(Happening(seen_at, day, variant=(test, letter), about=visit_id))
    return {
        pk: sorted(found[pk], key=lambda h: (h.time, h.arrival is None, h.conversion is not None))
        for pk in visitor_ids
    }


@dataclass(frozen=True, slots=True)
class Example:
    """Somebody who is in, or just not, and the line that decides it."""

    visitor: Visitor
    line: Line
    # The part is excluded, and being met keeps them out.
    excluded: bool


@dataclass(frozen=True, slots=True)
class Examples:
    """Who came in last, and who is just outside."""

    inside: list[Example]
    outside: list[Example]
    today: date


def examples(site: Site, definition: Definition, empty_at: datetime | None = None) -> Examples:
    """Some on either side of the definition's edge, the newest first."""
    population = Population(site, Others(site))
    population.read([definition])
    source = Source(population, empty_at)
    members = audiences.members(definition, source)
    inside = _newest(population, definition, members, LOOKED_AT)
    near = [people - members for people in _nearly(definition, source)]
    outside = {n for people in near for n in _newest(population, definition, people, LOOKED_AT // len(near))}
    visitors = {v.number: v for v in Visitor.objects.filter(site=site, number__in=list(inside | outside))}
    past = histories(site, [v.pk for v in visitors.values()])
    ins, outs = [], []
    for number, visitor in visitors.items():
        belongs = _belongs(population, definition, number)
        person = Person(past[visitor.pk], population.today, belongs)
        lines = list(person.lines(definition))
        if number in inside:
            met = [line for line in lines if line.path.startswith("include") and line.by]
            if met:
                ins.append(Example(visitor, max(met, key=lambda li: li.by.time), False))  # type: ignore[union-attr]
        elif line := _keeps_out(lines, person, definition):
            outs.append(Example(visitor, line, line.path.startswith("exclude")))
    return Examples(sorted(ins, key=_when, reverse=True)[:SHOWN], _varied(outs)[:SHOWN], population.today)


def _when(example: Example) -> datetime:
    decided = example.line.by or example.line.outside
    return decided.time if decided else datetime.min.replace(tzinfo=UTC)


def _varied(found: list[Example]) -> list[Example]:
    """The newest of every reason in turn."""
    by_path: defaultdict[str, list[Example]] = defaultdict(list)
    for one in sorted(found, key=_when, reverse=True):
        by_path[one.line.path].append(one)
    turns = [(place, path, one) for path, ones in by_path.items() for place, one in enumerate(ones)]
    return [one for _, _, one in sorted(turns, key=lambda t: (t[0], t[1]))]


def _nearly(definition: Definition, source: Source) -> list[BitMap]:
    """Whoever would be in if one line were not there, or looked back twice as far."""
    include, found = definition.include, []
    if definition.exclude is not None:
        found.append(audiences.members(Definition(include), source))
    if isinstance(include, All) and len(include.nodes) > 1:
        for i in range(len(include.nodes)):
            rest = All(include.nodes[:i] + include.nodes[i + 1 :])
            found.append(audiences.members(Definition(rest, definition.exclude), source))
    elif isinstance(include, Sequence) and len(include.steps) > 1:
        shorter = Sequence(include.steps[:-1], include.within)
        found.append(audiences.members(Definition(shorter, definition.exclude), source))
    part = audiences.first_part(definition)
    if part is not None:
        longer = min(LONGEST, max(part.end * 2, part.end + 7))
        found.append(audiences.members(audiences.with_length(definition, part, longer), source))
        if part.times > 1:
            once = Part(part.what, part.start, part.end)
            found.append(audiences.members(Definition(once, definition.exclude), source))
    return found


def _newest(population: Population, definition: Definition, people: BitMap, most: int) -> set[int]:
    """So many of these people, those to whom something that is asked happened last."""
    whats = {
        part.what
        for path, part in audiences.nodes(definition)
        if path.startswith("include") and isinstance(part, Part) and part.what.timed
    }
    days = [population.days_of(what) for what in whats]
    found: set[int] = set()
    left = people
    for age in sorted({age for sets in days for age in sets}):
        for sets in days:
            if age in sets:
                new = left & sets[age]
                found |= set(new[: most - len(found)])
                left = left - new
        if len(found) >= most:
            break
    return found or set(people[: min(most, SHOWN)])


def _keeps_out(lines: list[Line], person: Person, definition: Definition) -> Line | None:
    """The line that keeps somebody out, of whom it is nearly the only one."""
    missed = [li for li in lines if li.path.startswith("include") and not li.met]
    if definition.exclude is not None and person.fulfils(definition.exclude):
        met = [li for li in lines if li.path.startswith("exclude") and li.met]
        return met[0] if met else None
    if not missed and isinstance(definition.include, Sequence):
        # Every step happened, and not in order.
        steps = [li for li in lines if li.path.startswith("include")]
        return steps[person.reached(definition.include)]
    return missed[0] if missed else None


def _belongs(population: Population, definition: Definition, number: int) -> dict[What, bool]:
    """Whether the person is in each of the audiences and lists that the definition refers to."""
    found: dict[What, bool] = {}
    for part in audiences.parts(definition):
        if isinstance(part.what, audiences.InAudience):
            other = population.others(part.what.audience)
            found[part.what] = other is not None and number in population.asked(*other)
        elif isinstance(part.what, audiences.InList):
            found[part.what] = number in population.listed(part.what.list)
    return found


@dataclass(frozen=True, slots=True)
class Belonging:
    """How somebody stands with one audience."""

    audience: Audience
    member: bool
    lines: list[Line]
    definition: Definition


@dataclass(frozen=True, slots=True)
class Known:
    """What is known of somebody, the newest first; and where they belong."""

    visitor: Visitor
    # All that are theirs, and what pages have stated there, each with how many browsers did.
    browsers: list[Visitor]
    identities: list[tuple[Identity, int]]
    history: list[Happening]
    belongs: list[Belonging]
    today: date


def find(site: Site, text: str) -> list[Visitor]:
    """Visitors by the beginning of their id (six digits or more), an order number, or a hashed identity.

    The last seen first. A browser that is joined to another is found as that one.
    """
    text = text.strip()
    if not text or len(text) > 100 or "\x00" in text:
        raise Problem(
            "Give the beginning of a visitor’s id, an order number, or a hashed e-mail address.", "find"
        )
    orders = Event.objects.reported().filter(site=site, order=text).values_list("visitor_id", flat=True)
    found = set(orders.distinct()[:20])
    digits = text.replace("-", "").lower()
    if 6 <= len(digits) <= 32 and all(c in "0123456789abcdef" for c in digits):
        low, high = digits.ljust(32, "0"), digits.ljust(32, "f")
        some = Visitor.objects.filter(site=site, key__gte=low, key__lte=high)
        found |= set(some.values_list("pk", flat=True)[:20])
    if len(digits) == 64 and all(c in "0123456789abcdef" for c in digits):
        stated = Statement.objects.filter(identity__site=site, identity__hash=bytes.fromhex(digits))
        found |= set(stated.values_list("visitor_id", flat=True)[:40])
    joined = Visitor.objects.filter(pk__in=found, joined_to__isnull=False)
    found = set(Visitor.objects.filter(pk__in=found, joined_to=None).values_list("pk", flat=True)) | set(
        joined.values_list("joined_to_id", flat=True)
    )
    return list(Visitor.objects.filter(pk__in=found).order_by("-last_at")[:20])


def person_of(site: Site, visitor_id: int) -> Known:
    """Somebody's history and audiences; raises Problem."""
    visitor = Visitor.objects.filter(site=site, pk=visitor_id).select_related("joined_to").first()
    if visitor is None:
        raise missing("visitor")
    visitor = visitor.joined_to or visitor
    browsers = [visitor, *visitor.joined.order_by("pk")]
    stated = Identity.objects.filter(pk__in=Statement.objects.filter(visitor__in=browsers).values("identity"))
    counted_by = stated.annotate(browsers=Count("statements")).order_by("pk")
    others = Others(site)
    population = Population(site, others)
    definitions = {pk: audiences.parse(row.definition, site.page_reading) for pk, row in others.rows.items()}
    population.read(definitions.values())
    history = histories(site, [visitor.pk])[visitor.pk]
    belongs = []
    for pk, row in others.rows.items():
        definition = definitions[pk]
        counted = [h for h in history if row.empty_at is None or received(h) >= row.empty_at]
        person = Person(counted, population.today, _belongs(population, definition, visitor.number))
        belongs.append(Belonging(row, person.member(definition), list(person.lines(definition)), definition))
    identities: list[tuple[Identity, int]] = [(i, i.browsers) for i in counted_by]
    return Known(
        visitor,
        browsers,
        identities,
        history[::-1],
        sorted(belongs, key=lambda b: not b.member),
        population.today,
    )


def received(h: Happening) -> datetime:
    """When it came in, which may be a while after it happened."""
    return h.about.received if isinstance(h.about, Event) else h.time
