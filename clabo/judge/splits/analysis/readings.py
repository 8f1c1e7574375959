"""What may be said of a test's differences, day by day: looks at the site's midnight, and what stands between them."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np
from numpy.typing import NDArray

from clabo.core.evidence import (
    Interval,
    Look,
    MeanComparison,
    Moments,
    RateComparison,
    adjusted,
    between_level,
    bootstrap_mean_difference,
    both_readings,
    compare_means,
    compare_rates,
    confidence_sequence,
    first_crossing,
    holm,
    information,
    looks,
    looks_level,
    median_unbiased,
    saved,
    standard_error,
    winsorise,
)
from clabo.core.evidence.experiments.sequential import has_started
from clabo.judge.splits.analysis.post_exposure_outcomes import NOBODY, UNITS, ArmDays, Came

WINSORISED = 0.01
NOTHING = Interval(math.nan, math.nan, math.nan)
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class DayRange:
    """What could be said of one challenger's difference at the end of a day."""

    day: date
    letter: str
    visitors: int
    interval: Interval


@dataclass(frozen=True, slots=True)
class Against:
    """A challenger against the control. `range` decides: the last look and the sequence together.

    `look` is the last look at midnight, and `looked_on` the day that had ended; the fixed-sample reading stands beside.
    """

    letter: str
    range: Interval
    look: Look | None
    looked_on: date | None
    # The information at each look so far, over the planned one.
    times: list[float]
    fixed: Interval
    p_value: float
    value: MeanComparison
    # The same difference by the BCa bootstrap, for heavy tails; it decides nothing.
    value_bootstrap: Interval
    # The same with the largest of the visitors' values cut to size (WINSORISED of those who brought any).
    value_winsorised: Interval
    value_range: Interval
    # The same as `range` and `value_range`, each arm as if it had the same mix of visitors; and the part of the visitors
    # that this saves of the rate's, nan where too little is known.
    adjusted: Interval = NOTHING
    value_adjusted: Interval = NOTHING
    saved: float = math.nan
    # At the first look that called a difference: as it was measured then, and without the luck of having stopped then.
    called: float = math.nan
    called_unbiased: float = math.nan


@dataclass(frozen=True, slots=True)
class Plan:
    """What readings are made for: visitors of all arms, at the end of the plan, and their shares; the level of each."""

    visitors: int
    shares: Mapping[str, float]
    level: float

    def of(self, letter: str) -> float:
        """How many of them are that arm's."""
        return self.visitors * self.shares[letter] / math.fsum(self.shares.values())


def _winsorised(sums: tuple[Floats, Floats], zeros: tuple[int, int], level: float) -> Interval:
    """Welch's interval of the difference of means, the largest values cut to one limit for both arms."""
    cut = winsorise([of[of > 0] for of in sums], WINSORISED, least=1)
    moments = []
    for values, plain, none in zip(cut, sums, zeros, strict=True):
        n = len(plain) + none
        moments.append(Moments.of_sums(n, float(values.sum()), float((values * values).sum())))
    control, challenger = moments
    return compare_means(control, challenger, level).difference


def _moments(arm: ArmDays, on_values: bool) -> list[Moments]:
    return arm.values if on_values else [Moments.of_counts(c) for c in arm.counts]


def read(
    days: Sequence[date],
    closed: int,
    arms: Mapping[str, ArmDays],
    plan: Plan,
    on_values: bool = False,
    of_same_mix: Mapping[str, list[Moments]] | None = None,
    control_times: float = 1.0,
) -> dict[str, tuple[list[Look], list[Interval]]]:
    """Of each challenger the looks at the ends of the first `closed` days, and what could be said at the end of each day.

    The control is the first arm. With `on_values` of the value per visitor, else of the rate; `of_same_mix` has what is
    read in place of the arms' own (same_mix). With `control_times` the difference is from so many times the control's.
    """
    (control, *letters) = arms
    moments = of_same_mix or {k: _moments(arm, on_values) for k, arm in arms.items()}
    found = {}
    for letter in letters:
        converted = [
            (a.conversions, b.conversions)
            for a, b in zip(arms[control].counts, arms[letter].counts, strict=True)
        ]
        a, b = moments[control], moments[letter]
        # Of values, and of rates that are no rates once they are multiplied, the moments do not say how many converted.
        told = on_values or control_times != 1.0
        if control_times != 1.0:
            a = [m.times(control_times) for m in a]
        looked = looks(
            a[:closed],
            b[:closed],
            information(plan.of(control), plan.of(letter)),
            looks_level(plan.level),
            converted[:closed] if told else None,
        )
        said = []
        for place in range(len(days)):
            sequence = confidence_sequence(
                a[place],
                b[place],
                max(1, plan.visitors),
                between_level(plan.level),
                converted[place] if told else None,
            )
            last = next((x for x in reversed(looked) if x.place <= place), None)
            said.append(both_readings(last, sequence))
        found[letter] = looked, said
    return found


def same_mix(
    strata: Mapping[str, Mapping[int, ArmDays]], days: Sequence[date], on_values: bool = False
) -> dict[str, list[Moments]]:
    """Each arm at the end of each day, as if all had the same mix of strata by then."""
    by_stratum = {k: {s: _moments(arm, on_values) for s, arm in of.items()} for k, of in strata.items()}
    each_day = [
        adjusted([{s: m[i] for s, m in of.items() if m[i].n} for of in by_stratum.values()])
        for i in range(len(days))
    ]
    return {k: [arms[place] for arms in each_day] for place, k in enumerate(by_stratum)}


def with_same_mix(
    found: Sequence[Against],
    days: Sequence[date],
    closed: int,
    arms: Mapping[str, ArmDays],
    strata: Mapping[str, Mapping[int, ArmDays]],
    plan: Plan,
) -> list[Against]:
    """The same with what may be said of arms of one mix."""
    mixed, values = same_mix(strata, days), same_mix(strata, days, on_values=True)
    # Of a rate it is read from the moments whether enough have converted: until then they stay the plain ones.
    plain = {k: _moments(arm, on_values=False) for k, arm in arms.items()}
    rates = {
        k: [m if has_started(p, None) else p for m, p in zip(mixed[k], plain[k], strict=True)] for k in arms
    }
    on_rates = read(days, closed, arms, plan, of_same_mix=rates)
    on_values = read(days, closed, arms, plan, on_values=True, of_same_mix=values)
    control = next(iter(arms))
    ends = {k: (Moments.of_counts(arm.counts[-1]), rates[k][-1]) for k, arm in arms.items()}
    return [
        replace(
            one,
            adjusted=on_rates[one.letter][1][-1],
            value_adjusted=on_values[one.letter][1][-1],
            saved=_saved(ends[control], ends[one.letter]),
        )
        for one in found
    ]


def _saved(control: tuple[Moments, Moments], challenger: tuple[Moments, Moments]) -> float:
    if control[0].n < 2 or challenger[0].n < 2:
        return math.nan
    plain, same = (standard_error(a, b) for a, b in zip(control, challenger, strict=True))
    return saved(plain, same)


def against(
    days: Sequence[date],
    closed: int,
    arms: Mapping[str, ArmDays],
    came: Mapping[str, Came],
    plan: Plan,
    valued: bool,
    brief: bool,
) -> tuple[list[Against], list[DayRange]]:
    """Each challenger against the control as it stands, and what could be said day by day.

    With `brief` fixed-sample intervals and p-values are left out (nan).
    """
    (control, *letters) = arms
    ends = {k: (arm.counts[-1], arm.values[-1]) for k, arm in arms.items()}
    rates, values = read(days, closed, arms, plan), read(days, closed, arms, plan, on_values=True)
    unknown = RateComparison(NOTHING, NOTHING, math.nan, "score")
    fixed = [unknown if brief else compare_rates(ends[control][0], ends[k][0]) for k in letters]
    adjusted = holm([c.p_value for c in fixed])
    sums = {k: came.get(k, NOBODY).sums() / UNITS for k in arms}
    found = []
    for letter, comparison, p in zip(letters, fixed, adjusted, strict=True):
        looked, said = rates[letter]
        last = looked[-1] if looked else None
        called = None if brief else first_crossing(looked)
        zeros = tuple(ends[k][0].trials - ends[k][0].conversions for k in (control, letter))
        found.append(
            Against(
                letter,
                said[-1],
                last,
                days[last.place] if last else None,
                [x.time for x in looked],
                comparison.difference,
                p,
                compare_means(ends[control][1], ends[letter][1], plan.level),
                NOTHING
                if brief or not valued
                else bootstrap_mean_difference(
                    sums[control], sums[letter], plan.level, zeros=(zeros[0], zeros[1])
                ),
                NOTHING
                if brief or not valued
                else _winsorised((sums[control], sums[letter]), (zeros[0], zeros[1]), plan.level),
                values[letter][1][-1],
                called=math.nan if called is None else looked[called].interval.estimate,
                called_unbiased=math.nan if called is None else median_unbiased(looked),
            )
        )
    by_day = [
        DayRange(day, letter, sum(arm.counts[i].trials for arm in arms.values()), rates[letter][1][i])
        for i, day in enumerate(days)
        for letter in letters
    ]
    return found, by_day
