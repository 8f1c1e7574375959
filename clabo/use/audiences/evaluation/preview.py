"""A definition while it is written: how many, what each line leaves over, what another length would give."""

from __future__ import annotations

from collections.abc import Sequence as Seq
from dataclasses import dataclass
from datetime import datetime

from pyroaring import BitMap

from clabo.collect.events.models import Page
from clabo.core import audiences, rules
from clabo.core.audiences import LONGEST, Definition, Part, Sequence, Step
from clabo.core.audiences.advice import USUAL_LENGTHS, Point, Shared, advice, what_length_gives
from clabo.core.audiences.lengths import curve, first_part, with_length
from clabo.core.audiences.outlook import Enough, Outlook, enough, outlook
from clabo.core.message import Message
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.people import Population, Source, day_by_day
from clabo.use.audiences.models import Audience
from clabo.use.audiences.queries import Others

GROWTH_DAYS = 90
# Of a curve so many lengths are computed at most, each exactly.
MOST_POINTS = 120
# Where every length takes its time.
FEW_LENGTHS = {1, 7, 30, 90, 180, 365, 730}


@dataclass(frozen=True, slots=True)
class Change:
    """Against the definition in force: who would come in, and who would go."""

    come: int
    go: int


@dataclass(frozen=True, slots=True)
class Preview:
    """What a definition gives as of now. Every figure is exact."""

    people: int
    steps: list[Step]
    enough: Enough
    # The part that the curve varies, and where on the curve the definition stands.
    varied: Part | None
    curve: list[Point]
    length_says: Message | None
    overlaps: list[Shared]
    advice: list[Message]
    change: Change | None


def preview(site: Site, definition: Definition, of: Audience | None = None) -> Preview:
    """The definition as of now; `of` is the audience that it is a change of."""
    others = Others(site)
    empty_at = of.empty_at if of else None
    rest = [pk for pk in others.rows if of is None or pk != of.pk]
    population = Population(site, others)
    in_force = others(of.pk) if of and of.pk in others.rows else None
    varied = first_part(definition)
    furthest = [with_length(definition, varied, LONGEST)] if varied else []
    population.read([definition, *furthest, *([in_force[0]] if in_force else [])])
    source = Source(population, empty_at)
    members = audiences.members(definition, source)
    points = _curve(population, definition, varied, source) if varied else []
    shared = [
        Shared(pk, others.rows[pk].name, len(them), members.intersection_cardinality(them))
        for pk in rest
        for them in [population.kept(pk, others.edition)]
    ]
    change = None
    if in_force:
        before = population.asked(*in_force)
        change = Change(len(members - before), len(before - members))
    floor, plenty = site.audience_floor, site.audience_plenty
    return Preview(
        people=len(members),
        steps=audiences.staircase(definition, source),
        enough=enough(len(members), floor, plenty),
        varied=varied,
        curve=points,
        length_says=what_length_gives(points, varied.end) if varied else None,
        overlaps=sorted(shared, key=lambda s: (-s.both, s.name)),
        advice=advice(
            definition,
            len(members),
            floor,
            points,
            shared,
            ConversionRule.objects.filter(site=site, deleted_at=None).exists(),
            stopped_pages(population, definition),
        ),
        change=change,
    )


def _curve(population: Population, definition: Definition, varied: Part, source: Source) -> list[Point]:
    """People for lengths from the first day after the part's beginning to as far back as there is anything."""
    by_rows = varied.times > 1 or _in_sequence(definition, varied) or source.empty_at is not None
    known = population.days_of(varied.what)
    last = min(LONGEST, max([*known, varied.start, varied.end - 1]) + 1)
    usual = {n for n in USUAL_LENGTHS if varied.start < n <= last}
    if by_rows:
        lengths = usual & FEW_LENGTHS
    else:
        stride = max(1, (last - varied.start) // MOST_POINTS)
        lengths = usual | set(range(varied.start + 1, last + 1, stride))
    in_turn = sorted(lengths | {varied.end, last}, reverse=by_rows)
    sizes = curve(definition, varied, in_turn, source)
    return sorted(map(Point, in_turn, sizes), key=lambda p: p.days)


def _in_sequence(definition: Definition, part: Part) -> bool:
    return any(
        part in step
        for _, node in audiences.nodes(definition)
        if isinstance(node, Sequence)
        for step in node.steps
    )


def stopped_pages(population: Population, definition: Definition) -> list[str]:
    """Pages that what is included rests on, and whose tag has fallen silent."""
    pages: set[int] = set()
    for path, node in audiences.nodes(definition):
        if (
            path.startswith("include")
            and isinstance(node, Part)
            and isinstance(node.what, audiences.Happened)
        ):
            for leaf in rules.leaves(node.what.rule):
                for fact in leaf.facts:
                    if isinstance(fact, rules.PageFits):
                        met = population.known.pages_met(fact)
                        pages |= set(met) if len(met) <= 5 else set()
    silent = Page.objects.filter(pk__in=pages, stopped_at__isnull=False)
    return [str(page) for page in silent.order_by("host", "path")]


@dataclass(frozen=True, slots=True)
class Day:
    """How many were in at the end of a day, and how many had come in and gone since the day before."""

    people: int
    entered: int
    left: int


@dataclass(frozen=True, slots=True)
class Growth:
    """Day by day, the oldest first; and what is to be expected."""

    days: list[Day]
    outlook: Outlook | None
    # In how many days the floor is reached at today's growth; None where it is, or never will be.
    enough_in: int | None


def growth(site: Site, definition: Definition, empty_at: datetime | None = None) -> Growth:
    """The last 90 days of what the definition gives."""
    population = Population(site, Others(site), reach=GROWTH_DAYS + 1)
    population.read([definition])
    sets = list(day_by_day(population, definition, empty_at, GROWTH_DAYS + 1))
    days = [_day(now, before) for now, before in zip(sets[-2::-1], sets[:0:-1], strict=True)]
    expected = outlook([day.people for day in days])
    people = days[-1].people
    missing = people < site.audience_floor and expected is not None
    return Growth(
        days, expected, expected.days_until(people, site.audience_floor) if missing and expected else None
    )


def _day(now: BitMap, before: BitMap) -> Day:
    return Day(len(now), len(now - before), len(before - now))


@dataclass(frozen=True, slots=True)
class Size:
    """How many are in now, and were at the end of the day a week ago."""

    now: int
    week_ago: int


def sizes(site: Site, those: Seq[Audience]) -> dict[int, Size]:
    """Of each of these audiences."""
    population = Population(site, Others(site), reach=8)
    known = {a.pk: audiences.parse(a.definition, site.page_reading) for a in those}
    population.read(known.values())
    return {
        a.pk: Size(*(len(population.asked(known[a.pk], a.empty_at, ago)) for ago in (0, 7))) for a in those
    }
