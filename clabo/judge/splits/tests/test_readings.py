"""Daily readings of a test against plain sums over its visitors."""

from __future__ import annotations

import math
import unittest
from datetime import date, timedelta
from statistics import fmean, variance
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.evidence import Moments, confidence_sequence
from clabo.core.evidence.experiments.daily import bounds
from clabo.judge.splits.analysis.post_exposure_outcomes import UNITS, Came, arm_days
from clabo.judge.splits.analysis.readings import NOTHING, Plan, against, with_same_mix

FIRST = date(2026, 10, 1)
DAYS = [FIRST + timedelta(days=i) for i in range(6)]
# For each visitor the day of the exposure, and what came how many days later.
PEOPLE = st.lists(
    st.tuples(
        st.integers(0, 5),
        st.lists(st.tuples(st.integers(0, 4), st.sampled_from([0, 20, 59])), max_size=2),
    ),
    max_size=60,
)


def as_stored(people: list[Any]) -> tuple[dict[date, int], Came]:
    """What the database gives of an arm."""
    exposed: dict[date, int] = {}
    rows = []
    for visitor, (day, bought) in enumerate(people):
        exposed[DAYS[day]] = exposed.get(DAYS[day], 0) + 1
        came = sorted((DAYS[0] + timedelta(days=day + later), v) for later, v in bought)
        start = DAYS[day]
        rows += [
            (visitor, d.toordinal(), v * UNITS, 0, start.toordinal(), 24 * (d - start).days)
            for d, v in came
            if d <= DAYS[-1]
        ]
    return exposed, Came(*np.array(rows, dtype=np.int64).reshape(-1, 6).T)


def by_the_end_of(people: list[Any], day: int) -> tuple[list[int], list[float]]:
    """Of everybody who had come by then: whether they had converted, and what they had brought."""
    there = [(d, bought) for d, bought in people if d <= day]
    return (
        [int(any(d + later <= day for later, _ in bought)) for d, bought in there],
        [float(sum(v for later, v in bought if d + later <= day)) for d, bought in there],
    )


class Readings(unittest.TestCase):
    @settings(max_examples=80)
    @given(PEOPLE, PEOPLE, st.integers(0, 6), st.integers(20, 160), st.sampled_from([0.95, 0.975]))
    def test_against_plain_sums(
        self, a: list[Any], b: list[Any], closed: int, planned: int, level: float
    ) -> None:
        # Many of each, so that the limits are known on most days.
        a, b = a * 3, b * 3
        exposed, came = zip(as_stored(a), as_stored(b), strict=True)
        arms = {k: arm_days(exposed[i], came[i], DAYS) for i, k in enumerate("AB")}
        plan = Plan(planned, {"A": 60, "B": 40}, level)
        by_letter = dict(zip("AB", came, strict=True))
        [found], days = against(DAYS, closed, arms, by_letter, plan, True, brief=True)
        times: list[float] = []
        look = None
        ended = False
        for day in range(6):
            (xa, _), (xb, _) = by_the_end_of(a, day), by_the_end_of(b, day)
            self.assertEqual(days[day].visitors, len(xa) + len(xb))
            counts = [sum(xa), len(xa) - sum(xa), sum(xb), len(xb) - sum(xb)]
            told = len(xa) > 1 and len(xb) > 1
            gap = fmean(xb) - fmean(xa) if told else math.nan
            if day < closed and told and not ended and min(counts) >= 5:
                time = (1 / (1 / len(xa) + 1 / len(xb))) / (planned * 0.6 * 0.4)
                if time - (times[-1] if times else 0) >= 1 / 500:
                    times.append(time)
                    own = variance(xa) / len(xa) + variance(xb) / len(xb)
                    error = math.sqrt(max(own, variance(xa + xb) * (1 / len(xa) + 1 / len(xb))))
                    reach = bounds(times, 0.9 * (1 - level))[-1] * error
                    look = gap - reach, gap + reach
                    ended = time >= 1
            sequence = (
                confidence_sequence(Moments.of(xa), Moments.of(xb), planned, 1 - 0.1 * (1 - level))
                if told
                else NOTHING
            )
            low, high = look or (sequence.low, sequence.high)
            if look and sequence.known and max(low, sequence.low) <= min(high, sequence.high):
                low, high = max(low, sequence.low), min(high, sequence.high)
            for mine, theirs in ((days[day].interval.low, low), (days[day].interval.high, high)):
                self.assertTrue(
                    mine == theirs
                    or (math.isnan(mine) == math.isnan(theirs) and math.isclose(mine, theirs, abs_tol=1e-9))
                    or (math.isnan(mine) and math.isnan(theirs)),
                    (mine, theirs, day),
                )
        self.assertEqual(str(found.range), str(days[-1].interval))
        for letter, people in (("A", a), ("B", b)):
            values = by_the_end_of(people, 5)[1]
            if len(values) > 1:
                self.assertAlmostEqual(arms[letter].values[-1].mean, fmean(values))
                self.assertAlmostEqual(arms[letter].values[-1].variance, variance(values), places=6)

    def test_adjusted_only_once_enough_have_converted(self) -> None:
        """As long as nothing is said plainly, nothing is said of arms of one mix."""
        for converted in (4, 5):
            arms, strata = {}, {}
            for letter, k in (("A", converted), ("B", 60)):
                rows = [(n, FIRST.toordinal(), UNITS, n % 2, FIRST.toordinal(), 0) for n in range(k)]
                came = Came(*np.array(rows, dtype=np.int64).T)
                arms[letter] = arm_days({FIRST: 400}, came, DAYS)
                strata[letter] = {s: arm_days({FIRST: 200}, came.known_as(s), DAYS) for s in (0, 1)}
            plan = Plan(1600, {"A": 50, "B": 50}, 0.95)
            found, _ = against(DAYS, 3, arms, {}, plan, False, brief=True)
            [found] = with_same_mix(found, DAYS, 3, arms, strata, plan)
            self.assertEqual(found.range.known, converted == 5)
            self.assertEqual(found.adjusted.known, converted == 5)
