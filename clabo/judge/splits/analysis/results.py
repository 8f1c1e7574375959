"""What came of a test: per variant, day by day, and the verdict."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Min
from django.db.models.functions import Coalesce

from clabo.collect.events.models import Event, Kind, Page
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
from clabo.core.money.returns import roas
from clabo.core.pages.addresses import Address
from clabo.core.splits.assignment import with_held_out
from clabo.core.splits.measures import Measure, read_measures
from clabo.core.splits.page_match import Place
from clabo.judge.splits.analysis.conversion_windows import Ripe
from clabo.judge.splits.analysis.exposure_cohorts import Followed
from clabo.judge.splits.analysis.measures import MeasureResult, measure_results
from clabo.judge.splits.analysis.post_exposure_outcomes import (
    NOBODY,
    UNITS,
    ArmDays,
    Came,
    arm_at_once,
    arm_days,
)
from clabo.judge.splits.analysis.readings import (
    Against,
    DayRange,
    Plan,
    with_same_mix,
)
from clabo.judge.splits.analysis.readings import against as differences
from clabo.judge.splits.models import HELD_OUT, SplitTest, Variant
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.spend.joining import cost_of_visits

LEVEL = 0.95
# In place of a letter: all who were shown any variant.
SHOWN = "all"


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
class HeldOut:
    """Visitors in the test who were shown no variant; `against`: those shown any, minus them."""

    counts: Counts
    value: Moments
    shown: Counts
    against: Against


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
    # None where nobody is held out.
    held: HeldOut | None = None
    # Compared are conversions within so many days of the exposure, of exposures that are older; 0: all as they stand.
    window: int = 0
    # By letter, how many were so, and how many of them converted in it.
    compared: Mapping[str, Counts] = field(default_factory=dict)


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
    # Before the start there is one day, on which nobody came.
    days = (
        [first + timedelta(days=i) for i in range((last - first).days + 1)]
        if first and last
        else [now.date()]
    )
    followed = Followed(lens, test, days[-1])
    exposed = followed.exposed()
    came = followed.came(test.rule, until, with_strata=not brief)
    arms = [
        _arm(v, exposed.get(v.letter, {}), came.get(v.letter, NOBODY), test.rule.has_value) for v in variants
    ]
    if not brief:
        _add_money(lens.site, followed, arms)
    if not brief:
        _add_chances(arms)
    m = len(variants) - 1
    worth = test.baseline * test.smallest_lift
    needed = needed_by(test)
    plan = Plan(needed, {v.letter: v.share for v in variants}, 1 - (1 - LEVEL) / m)
    closed = sum(lens.site.midnight(day + timedelta(days=1)) <= until for day in days)
    ripe = Ripe.of([came.get(k, NOBODY) for k in letters], days, closed)
    ripe_came = {k: ripe.came(c) for k, c in came.items()}
    by_day = {k: arm_days(ripe.exposed(exposed.get(k, {})), ripe_came.get(k, NOBODY), days) for k in letters}
    against, ranges = differences(days, closed, by_day, ripe_came, plan, test.rule.has_value, brief)
    if not brief:
        strata = _strata(followed, ripe, ripe_came, letters, days)
        against = with_same_mix(against, days, closed, by_day, strata, plan)
    total = sum(a.counts.trials for a in arms)
    length = max(1.0, _open_for(test, until) / timedelta(days=1))
    held = _held_out(test, variants, exposed, came, days, closed, needed) if test.held_out else None
    health = split_health(
        [a.counts.trials for a in arms] + ([held.counts.trials] if held else []),
        with_held_out([v.share for v in variants], test.held_out),
    )
    besides = _besides(test, only_guards=brief)

    def arms_of(measure: Measure, rule: ConversionRule | None) -> dict[str, ArmDays]:
        if measure.what == "bounce":
            left = followed.bounced()
            return {k: arm_at_once(exposed.get(k, {}), left.get(k, {}), days) for k in letters}
        did = followed.came(rule, until) if rule else {}
        own = Ripe.of([did.get(k, NOBODY) for k in letters], days, closed)
        return {
            k: arm_days(own.exposed(exposed.get(k, {})), own.came(did.get(k, NOBODY)), days) for k in letters
        }

    measures = measure_results(besides, arms_of, days, closed, plan)
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
        ripe.window,
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
        held,
        ripe.window,
        {k: of.counts[-1] for k, of in by_day.items()},
    )


def _held_out(
    test: SplitTest,
    variants: Sequence[Variant],
    exposed: Mapping[str, Mapping[date, int]],
    came: Mapping[str, Came],
    days: Sequence[date],
    closed: int,
    needed: int,
) -> HeldOut:
    """Those who were shown nothing, and all others together against them."""
    letters = [v.letter for v in variants]
    shown: Counter[date] = Counter()
    for letter in letters:
        shown.update(exposed.get(letter, {}))
    both = {
        HELD_OUT: (exposed.get(HELD_OUT, {}), came.get(HELD_OUT, NOBODY)),
        SHOWN: (shown, Came.together([came[k] for k in letters if k in came])),
    }
    # Of the plan the variants' visitors are what is left of all.
    plan = Plan(
        round(needed / (1 - test.held_out / 100)),
        {HELD_OUT: test.held_out, SHOWN: 100 - test.held_out},
        LEVEL,
    )
    ripe = Ripe.of([c for _, c in both.values()], days, closed)
    by_day = {k: arm_days(ripe.exposed(e), ripe.came(c), days) for k, (e, c) in both.items()}
    of_both = {k: ripe.came(c) for k, (_, c) in both.items()}
    [against], _ = differences(days, closed, by_day, of_both, plan, test.rule.has_value, brief=True)
    counts, value = _totals(*both[HELD_OUT])
    return HeldOut(counts, value, _totals(*both[SHOWN])[0], against)


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


def _open_for(test: SplitTest, until: datetime) -> timedelta:
    """How long it has let visitors in."""
    if not test.started_at:
        return timedelta(0)
    rests = [min(p.until_at or until, until) - min(p.from_at, until) for p in test.pauses.all()]
    return until - test.started_at - sum(rests, timedelta(0))


def _strata(
    followed: Followed,
    ripe: Ripe,
    came: Mapping[str, Came],
    letters: Sequence[str],
    days: Sequence[date],
) -> dict[str, dict[int, ArmDays]]:
    """Each arm's days by what was known of its visitors before."""
    found: dict[str, dict[int, ArmDays]] = {letter: {} for letter in letters}
    for (letter, stratum), by_day in followed.exposed_by_stratum().items():
        if letter in found:
            mine = came.get(letter, NOBODY).known_as(stratum)
            found[letter][stratum] = arm_days(ripe.exposed(by_day), mine, days)
    return found


def _arm(variant: Variant, exposed: Mapping[date, int], came: Came, valued: bool) -> Arm:
    page = (
        Page.objects.filter(site=variant.test.site_id, host=variant.host, path=variant.path)
        .only("id")
        .first()
    )
    counts, value = _totals(exposed, came)
    return Arm(variant, page.pk if page else None, counts, value, came.total, Decimal(0), Decimal(0), valued)


def _totals(exposed: Mapping[date, int], came: Came) -> tuple[Counts, Moments]:
    n, sums = sum(exposed.values()), came.sums() / UNITS
    return Counts(came.converted, n), Moments.of_sums(n, float(sums.sum()), float((sums * sums).sum()))


def _add_money(site: Site, followed: Followed, arms: Sequence[Arm]) -> None:
    """The value of the conversions that count in the test, and what the clicks of the exposing visits cost."""
    cells = followed.exposing_cells()
    for arm in arms:
        arm.revenue = arm.value_sum
        cost = sum(cost_of_visits(site, cells.get(arm.variant.letter, {})).values(), Decimal(0))
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
        .values_list("visitor_id", Coalesce("acted_at", "time"))
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
