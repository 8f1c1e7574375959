"""What a test did to its guards and further measures: each with a range that may be looked at every day."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

from clabo.core.evidence import (
    Counts,
    Interval,
    Moments,
    compare_means,
    compare_rates,
    guard_factor,
    guard_standing,
    holm,
)
from clabo.core.evidence.experiments.guards import Standing
from clabo.core.splits.measures import Measure
from clabo.judge.splits.analysis.post_exposure_outcomes import ArmDays
from clabo.judge.splits.analysis.readings import Plan, read
from clabo.setup.conversions.models import ConversionRule


@dataclass(frozen=True, slots=True)
class ArmMeasure:
    """A measure in one arm: of so many visitors, how many did it; or what they brought."""

    letter: str
    counts: Counts
    value: Moments

    def level_of(self, measure: Measure) -> float:
        """The rate, or the mean a visitor."""
        return self.value.mean if measure.what == "value" else self.counts.rate


@dataclass(frozen=True, slots=True)
class AgainstMeasure:
    """A challenger against the control; `p_value` for one look, after Holm over all measures of its sort."""

    letter: str
    range: Interval
    p_value: float
    standing: Standing


@dataclass(frozen=True, slots=True)
class MeasureResult:
    """A measure; `rule` is missing where it counts bounces, or where its conversion has been deleted."""

    measure: Measure
    rule: ConversionRule | None
    arms: list[ArmMeasure]
    against: list[AgainstMeasure]


def measure_results(
    measures: Sequence[tuple[Measure, ConversionRule | None]],
    arms_of: Callable[[Measure, ConversionRule | None], Mapping[str, ArmDays]],
    days: Sequence[date],
    closed: int,
    plan: Plan,
) -> list[MeasureResult]:
    """All measures as they stand. `plan` has the level of a challenger's one measure; those of a sort share what it leaves."""
    found = []
    for measure, rule in measures:
        alike = sum(m.guard == measure.guard for m, _ in measures)
        shared = replace(plan, level=1 - (1 - plan.level) / alike)
        found.append(_result(measure, rule, arms_of(measure, rule), days, closed, shared))
    adjusted = []
    for one in found:
        same = [o for o in found if o.measure.guard == one.measure.guard]
        p_values = iter(holm([a.p_value for o in same for a in o.against]))
        of_each = [[next(p_values) for _ in o.against] for o in same]
        mine = of_each[same.index(one)]
        against = [replace(a, p_value=p) for a, p in zip(one.against, mine, strict=True)]
        adjusted.append(replace(one, against=against))
    return adjusted


def _result(
    measure: Measure,
    rule: ConversionRule | None,
    by_day: Mapping[str, ArmDays],
    days: Sequence[date],
    closed: int,
    plan: Plan,
) -> MeasureResult:
    on_values = measure.what == "value"
    ranges = read(days, closed, by_day, plan, on_values)
    higher = not measure.lower_is_better
    beyond = ranges
    if measure.guard:
        factor = guard_factor(measure.margin, higher)
        beyond = read(days, closed, by_day, plan, on_values, control_times=factor)
    arms = [ArmMeasure(k, a.counts[-1], a.values[-1]) for k, a in by_day.items()]
    control = arms[0]
    against = []
    for arm in arms[1:]:
        interval = ranges[arm.letter][1][-1]
        p = (
            compare_means(control.value, arm.value).p_value
            if on_values
            else compare_rates(control.counts, arm.counts).p_value
        )
        against.append(
            AgainstMeasure(
                arm.letter,
                interval,
                p,
                guard_standing(beyond[arm.letter][1][-1], higher),
            )
        )
    return MeasureResult(measure, rule, arms, against)
