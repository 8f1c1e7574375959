"""What came of a test: per variant, day by day, and the verdict."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Count, Min, Q
from django.db.models.functions import TruncDate

from clabo.conversions.lens import Lens
from clabo.conversions.models import Conversion, ConversionRule
from clabo.core.addresses import Address
from clabo.core.evidence import (
    Counts,
    Forecast,
    Moments,
    SamplePlan,
    SplitHealth,
    TestState,
    Verdict,
    chance_to_be_best,
    daily_cost,
    expected_loss,
    forecast,
    plan_rate_test,
    split_health,
    verdict,
)
from clabo.core.measures import Measure, read_measures
from clabo.core.places import Place
from clabo.core.returns import roas
from clabo.db.arrays import in_array
from clabo.events.models import Event, Kind, Page, TrafficClass, Visit
from clabo.events.queries import BOUNCED
from clabo.sites.models import Site
from clabo.spend.joining import Cell, cost_of_visits
from clabo.splits.before import KNOWN, with_what_was_known
from clabo.splits.measured import MeasureResult, measure_results
from clabo.splits.models import Exposure, SplitTest, Variant
from clabo.splits.readings import (
    Against,
    ArmDays,
    DayRange,
    Outcome,
    Plan,
    Stratum,
    arm_days,
    with_same_mix,
)
from clabo.splits.readings import against as differences

LEVEL = 0.95


@dataclass(slots=True)
class Arm:
    """One variant's result. Value per visitor in the site's currency."""

    variant: Variant
    page_id: int | None
    counts: Counts
    value: Moments
    value_sum: Decimal
    spend: Decimal
    revenue: Decimal
    # What is counted has a value.
    valued: bool = True
    chance: float = math.nan
    loss: float = math.nan

    @property
    def roas(self) -> Decimal | None:
        return roas(self.revenue, self.spend) if self.valued else None


@dataclass(frozen=True, slots=True)
class Result:
    """A test under a lens (its source and device; the days are the test's own)."""

    test: SplitTest
    arms: list[Arm]
    against: list[Against]
    days: list[DayRange]
    health: SplitHealth
    verdict: Verdict
    worth: float
    needed: int
    decided_on: date | None
    first_day: date | None
    last_day: date | None
    visitors_per_day: float
    # Guards and further measures; none where only the verdict's evidence was asked for and there is no guard.
    measures: list[MeasureResult]
    # When it will be decided, of a running test that is not yet.
    forecast: Forecast | None


def result(lens: Lens, test: SplitTest, now: datetime | None = None, brief: bool = False) -> Result:
    """The test's result as it stands.

    With `brief`, for lists, only what the verdict rests on: fixed-sample intervals and p-values, chances and money
    are left out (nan).
    """
    variants = list(test.variants.all())
    letters = [v.letter for v in variants]
    zone = lens.site.zone
    now = now or datetime.now(UTC)
    until = test.ended_at or now
    first = test.started_at.astimezone(zone).date() if test.started_at else None
    last = until.astimezone(zone).date() if first else None
    exposed = _exposed(lens, test)
    outcomes = _outcomes(lens, test, test.rule, until, with_strata=not brief)
    arms = [_arm(v, exposed[v.letter], outcomes[v.letter]) for v in variants]
    if first and last and not brief:
        _add_money(lens, test, arms)
    if not brief:
        _add_chances(arms)
    m = len(variants) - 1
    worth = test.baseline * test.smallest_lift
    needed = needed_by(test)
    plan = Plan(needed, {v.letter: v.share for v in variants}, 1 - (1 - LEVEL) / m)
    # Before the start there is one day, on which nobody came.
    days = (
        [first + timedelta(days=i) for i in range((last - first).days + 1)]
        if first and last
        else [now.date()]
    )
    closed = sum(lens.site.midnight(day + timedelta(days=1)) <= until for day in days)
    by_day = {k: arm_days(exposed[k], outcomes[k], days) for k in letters}
    against, ranges = differences(days, closed, by_day, outcomes, plan, test.rule.has_value, brief)
    if not brief:
        against = with_same_mix(
            against, days, closed, by_day, _strata(lens, test, outcomes, letters, days), plan
        )
    total = sum(a.counts.trials for a in arms)
    length = max(1.0, _open_for(test, until) / timedelta(days=1))
    health = split_health([a.counts.trials for a in arms], [v.share for v in variants])
    besides = _besides(test, only_guards=brief)

    def outcomes_of(measure: Measure, rule: ConversionRule | None) -> dict[str, list[Outcome]]:
        if measure.what == "bounce":
            return _bounced(lens, test)
        return _outcomes(lens, test, rule, until) if rule else {}

    measures = measure_results(besides, outcomes_of, {k: exposed[k] for k in letters}, days, closed, plan)
    state = TestState(
        [a.range for a in against],
        worth,
        [a.counts.trials for a in arms],
        health,
        needed,
        total / length,
        {
            place
            for one in measures
            for place, a in enumerate(one.against)
            if one.measure.guard and a.standing == "fails"
        },
    )
    decision = verdict(state)
    decided = _decided_on(ranges, decision, letters)
    return Result(
        test,
        arms,
        against,
        ranges if first else [],
        health,
        decision,
        worth,
        needed,
        decided,
        first,
        last,
        total / length,
        measures,
        _forecast(test, arms, against, needed, worth, total / length)
        if decision.kind == "too_early" and not brief
        else None,
    )


def _forecast(
    test: SplitTest,
    arms: Sequence[Arm],
    against: Sequence[Against],
    needed: int,
    worth: float,
    per_day: float,
) -> Forecast | None:
    if test.state != SplitTest.State.RUNNING:
        return None
    shares = [a.variant.share / 100 for a in arms]
    level = 1 - (1 - LEVEL) / len(against)
    each = [per_day * share for share in shares]
    return forecast([a.counts for a in arms], each, needed, worth, [a.times for a in against], level)


def _besides(test: SplitTest, only_guards: bool) -> list[tuple[Measure, ConversionRule | None]]:
    """The test's guards and further measures, each with its conversion."""
    wanted = [m for m in read_measures(test.measures) if m.guard or not only_guards]
    rules = ConversionRule.objects.filter(site=test.site_id, deleted_at=None).in_bulk(
        [m.conversion for m in wanted if m.conversion]
    )
    return [(m, rules.get(m.conversion or 0)) for m in wanted]


def _bounced(lens: Lens, test: SplitTest) -> dict[str, list[Outcome]]:
    """Visitors whose exposing visit was nothing but one view, by variant."""
    rows = Exposure.objects.filter(
        counted(lens),
        test=test,
        visit_id__in=Visit.objects.filter(BOUNCED, site=lens.site).values("id"),
    )
    zone = lens.site.zone
    found: defaultdict[str, list[Outcome]] = defaultdict(list)
    for letter, first_at in rows.values_list("letter", "first_at"):
        day = first_at.astimezone(zone).date()
        found[letter].append(Outcome(day, day, [(day, Decimal(1))]))
    return found


def _open_for(test: SplitTest, until: datetime) -> timedelta:
    """How long it has let visitors in."""
    if not test.started_at:
        return timedelta(0)
    rests = [min(p.until_at or until, until) - min(p.from_at, until) for p in test.pauses.all()]
    return until - test.started_at - sum(rests, timedelta(0))


def _exposed(lens: Lens, test: SplitTest) -> dict[str, dict[date, int]]:
    """Visitors by variant and day of first exposure."""
    rows = Exposure.objects.filter(test=test).filter(counted(lens))
    found: defaultdict[str, dict[date, int]] = defaultdict(dict)
    by_day = rows.annotate(day=TruncDate("first_at", tzinfo=lens.site.zone)).values_list("letter", "day")
    for letter, day, n in by_day.annotate(Count("id")):
        found[letter][day] = n
    return found


def _strata(
    lens: Lens,
    test: SplitTest,
    outcomes: Mapping[str, Sequence[Outcome]],
    letters: Sequence[str],
    days: Sequence[date],
) -> dict[str, dict[Stratum, ArmDays]]:
    """Each arm's days by what was known of its visitors before."""
    rows = (
        with_what_was_known(Exposure.objects.filter(counted(lens), test=test), test.rule)
        .annotate(day=TruncDate("first_at", tzinfo=lens.site.zone))
        .order_by()
        .values_list("letter", "day", *KNOWN)
        .annotate(n=Count("id"))
    )
    exposed: defaultdict[tuple[str, Stratum], dict[date, int]] = defaultdict(dict)
    for letter, day, *known, n in rows:
        exposed[letter, tuple(known)][day] = n
    came: defaultdict[tuple[str, Stratum], list[Outcome]] = defaultdict(list)
    for letter, several in outcomes.items():
        for outcome in several:
            came[letter, outcome.stratum].append(outcome)
    found: dict[str, dict[Stratum, ArmDays]] = {letter: {} for letter in letters}
    for (letter, stratum), by_day in exposed.items():
        found[letter][stratum] = arm_days(by_day, came[letter, stratum], days)
    return found


def counted(lens: Lens) -> Q:
    """Exposures in visits that the lens looks at and that enter reports."""
    visits = Visit.objects.filter(
        lens.filter(days=False), lens.of_people(), traffic_class=TrafficClass.COUNTED
    )
    return Q(visit_id__in=visits.values("id"))


def _outcomes(
    lens: Lens, test: SplitTest, rule: ConversionRule, until: datetime, with_strata: bool = False
) -> dict[str, list[Outcome]]:
    """Visitors who converted after their exposure, while the test ran, by variant."""
    found: defaultdict[str, list[Outcome]] = defaultdict(list)
    if not test.started_at:
        return found
    zone = lens.site.zone
    conversions: defaultdict[int, list[tuple[datetime, Decimal]]] = defaultdict(list)
    for visitor_id, time, value, currency, beyond in (
        Conversion.objects.reported()
        .filter(
            site=lens.site,
            rule=rule,
            time__gte=test.started_at,
            time__lt=until,
        )
        .order_by("time")
        .values_list("visitor_id", "time", "value", "currency", "beyond")
    ):
        # A value in another currency, or beyond the day's limits, is in no sum.
        summed = value if value and not currency and not beyond else Decimal(0)
        conversions[visitor_id].append((time, summed))
    rows = Exposure.objects.filter(test=test, visitor_id__in=list(conversions)).filter(counted(lens))
    known = KNOWN if with_strata else ()
    if with_strata:
        rows = with_what_was_known(rows, rule)
    for letter, visitor_id, first_at, *stratum in rows.values_list(
        "letter", "visitor_id", "first_at", *known
    ):
        after = [(t.astimezone(zone).date(), v) for t, v in conversions[visitor_id] if t >= first_at]
        if after:
            begun = first_at.astimezone(zone).date()
            found[letter].append(Outcome(begun, after[0][0], after, tuple(stratum)))
    return found


def _arm(variant: Variant, exposed: dict[date, int], outcomes: Sequence[Outcome]) -> Arm:
    n = sum(exposed.values())
    sums = [o.value for o in outcomes]
    total = sum(sums, Decimal(0))
    value = Moments.of_sums(n, float(total), float(sum((s * s for s in sums), Decimal(0))))
    page = (
        Page.objects.filter(site=variant.test.site_id, host=variant.host, path=variant.path)
        .only("id")
        .first()
    )
    return Arm(
        variant, page.pk if page else None, Counts(len(outcomes), n), value, total, Decimal(0), Decimal(0)
    )


def _add_money(lens: Lens, test: SplitTest, arms: Sequence[Arm]) -> None:
    """The value of the conversions that count in the test, and what the clicks of the exposing visits cost."""
    exposing = Exposure.objects.filter(test=test).filter(counted(lens)).values_list("letter", "visit_id")
    letters = {visit_id: letter for letter, visit_id in exposing}
    visits: defaultdict[str, Counter[Cell]] = defaultdict(Counter)
    for pk, *cell in Visit.objects.filter(in_array("id", letters), site=lens.site).values_list(
        "id", "day", "entry_page_id", "origin_id", "device"
    ):
        visits[letters[pk]][tuple(cell)] += 1  # type: ignore[index]
    for arm in arms:
        arm.valued = test.rule.has_value
        arm.revenue = arm.value_sum
        cost = sum(cost_of_visits(lens.site, visits[arm.variant.letter]).values(), Decimal(0))
        arm.spend = cost.quantize(Decimal("0.000001"))


def _add_chances(arms: Sequence[Arm]) -> None:
    if all(a.counts.trials for a in arms):
        counts = [a.counts for a in arms]
        for arm, chance, loss in zip(arms, chance_to_be_best(counts), expected_loss(counts), strict=True):
            arm.chance, arm.loss = chance, loss


def needed_by(test: SplitTest) -> int:
    """Visitors at the planned end: a look a day should see a difference worth having by then."""
    return plan_of(test).total


def plan_of(test: SplitTest) -> SamplePlan:
    """What the test takes, read every day; its total, not its arms, has what that costs."""
    shares = [v.share for v in test.variants.all()]
    arms = len(shares)
    plan = plan_rate_test(
        test.baseline, test.smallest_lift, level=1 - 0.05 / (arms - 1), arms=arms, shares=shares
    )
    return replace(plan, total=math.ceil(plan.total * daily_cost(plan)))


def _decided_on(days: Sequence[DayRange], decision: Verdict, letters: Sequence[str]) -> date | None:
    """The first day since which the winner's range has stayed above 0."""
    if decision.kind != "adopt":
        return None
    letter = letters[1 + decision.params["challenger"]]
    since: date | None = None
    for day in (d for d in days if d.letter == letter):
        above = day.interval.known and day.interval.low > 0
        since = (since or day.day) if above else None
    return since


@dataclass(frozen=True, slots=True)
class Recorded:
    """What was recorded of a page: visitors, those who converted after seeing it, visitors a day."""

    visitors: int
    converted: int
    per_day: float
    # The same by the day on which they were first seen, from the first of them to yesterday.
    days: list[tuple[int, int]] = field(default_factory=list)


def recorded(
    site: Site, page: Address, rule: ConversionRule, days: int = 28, places: Sequence[Place] = ()
) -> Recorded:
    """How a page, and those that `places` mean besides, have done in the last `days` days, counted as a test would."""
    pages = [
        pk
        for pk, host, path in Page.objects.filter(site=site).values_list("pk", "host", "path")
        if (host, path) == (page.host, page.path) or any(p.holds(host, path) for p in places)
    ]
    since = site.last_days(days)
    seen = dict(
        Event.objects.in_counted_visits()
        .filter(
            in_array("page_id", pages),
            site=site,
            kind=Kind.VIEW,
            time__gte=since,
        )
        .values_list("visitor_id")
        .annotate(first=Min("time"))
    )
    if not seen:
        return Recorded(0, 0, 0.0)
    converted = {
        visitor
        for visitor, time in Conversion.objects.reported()
        .filter(site=site, rule=rule, time__gte=since)
        .values_list("visitor_id", "time")
        if visitor in seen and time >= seen[visitor]
    }
    span = datetime.now(UTC) - min(seen.values())
    return Recorded(
        len(seen),
        len(converted),
        len(seen) / max(1.0, span.total_seconds() / 86400),
        _by_day(site, seen, converted),
    )


def _by_day(site: Site, seen: Mapping[int, datetime], converted: Collection[int]) -> list[tuple[int, int]]:
    """Visitors and converted of each whole day, the days without anybody included."""
    day_of = {visitor: time.astimezone(site.zone).date() for visitor, time in seen.items()}
    came, did = Counter(day_of.values()), Counter(day_of[v] for v in converted)
    first, today = min(came), datetime.now(UTC).astimezone(site.zone).date()
    return [(came[d], did[d]) for d in (first + timedelta(days=n) for n in range((today - first).days))]
