"""Guards: reading them, and where each stands."""

from __future__ import annotations

import math
from typing import Any
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from clabo.core.evidence import (
    Counts,
    Interval,
    Moments,
    SplitHealth,
    TestState,
    guard_factor,
    guard_standing,
    standard_error,
    verdict,
)
from clabo.core.rules.errors import RuleError
from clabo.core.splits.measures import Measure, read_measures

AMOUNT = st.floats(-1, 1, allow_nan=False)


class Standing(TestCase):
    @given(st.tuples(AMOUNT, AMOUNT, AMOUNT))
    def test_by_the_words(self, limits: tuple[float, float, float]) -> None:
        """Every difference of the range is held against the limit by itself."""
        low, estimate, high = sorted(limits)
        too_bad = [d < 0 for d in (low, estimate, high)]
        expected = "fails" if all(too_bad) else "open" if any(too_bad) else "holds"
        # Right on the limit nothing is claimed.
        if 0 in (low, high):
            return
        self.assertEqual(guard_standing(Interval(low, estimate, high)), expected)
        self.assertEqual(guard_standing(Interval(-high, -estimate, -low), higher_is_better=False), expected)

    def test_nothing_is_said_without_a_range(self) -> None:
        self.assertEqual(guard_standing(Interval(math.nan, math.nan, math.nan)), "open")
        with self.assertRaises(ValueError):
            guard_factor(-0.1)

    def test_right_at_the_limit_it_seldom_fails(self) -> None:
        """A bounce rate that is worse by exactly what is allowed, with the control's no better known: 2.5 of 100 fail."""
        chance = np.random.default_rng(8)
        n, p, margin = 2000, 0.4, 0.2
        fails = 0
        for _ in range(2000):
            a = Moments.of_counts(Counts(int(chance.binomial(n, p)), n)).times(guard_factor(margin, False))
            b = Moments.of_counts(Counts(int(chance.binomial(n, p * (1 + margin))), n))
            reach = 1.96 * standard_error(a, b)
            gap = b.mean - a.mean
            fails += guard_standing(Interval(gap - reach, gap, gap + reach), False) == "fails"
        self.assertLess(abs(fails / 2000 - 0.025), 0.011)


class Verdicts(TestCase):
    def state(self, *ranges: tuple[float, float], harmful: set[int]) -> TestState:
        intervals = [Interval(low, (low + high) / 2, high) for low, high in ranges]
        health = SplitHealth(0.5, False)
        return TestState(intervals, 0.01, [1000] * (len(ranges) + 1), health, 3000, 100.0, harmful)

    def test_a_winner_whose_guard_fails_is_not_adopted(self) -> None:
        better = ((0.01, 0.03), (0.02, 0.05))
        for harmful, kind, challenger in (
            (set(), "adopt", 1),
            ({0}, "adopt", 1),
            ({1}, "adopt", 0),
            ({0, 1}, "guard_fails", 1),
        ):
            found = verdict(self.state(*better, harmful=harmful))
            self.assertEqual((found.kind, found.params["challenger"]), (kind, challenger), harmful)
        self.assertEqual(verdict(self.state((-0.02, 0.03), harmful={0})).kind, "too_early")


class Reading(TestCase):
    def test_what_is_read_is_written_again(self) -> None:
        data = [
            {"what": "rate", "conversion": 3},
            {"what": "value", "conversion": 3, "guard": True, "margin": 0.05},
            {"what": "rate", "conversion": 4, "guard": True, "margin": 0.0, "lower_is_better": True},
            {"what": "bounce", "guard": True, "margin": 0.1},
        ]
        self.assertEqual([m.json() for m in read_measures(data)], data)
        self.assertEqual(
            read_measures([{"what": "bounce", "conversion": 9, "margin": 0.3}]),
            [Measure("bounce", lower_is_better=True)],
        )

    def test_the_field_and_the_remedy_are_named(self) -> None:
        bounce = {"what": "bounce"}
        cases: list[tuple[Any, str, str]] = [
            ("bounce", "", "measures_list"),
            ([{"what": "rate", "conversion": n} for n in range(1, 8)], "", "measures_list"),
            ([bounce, 3], "[1]", "measure_no_object"),
            ([bounce, bounce], "[1]", "measure_twice"),
            ([{"what": "speed"}], "[0].what", "choose_one"),
            ([{"what": "rate"}], "[0].conversion", "how_many"),
            ([{"what": "rate", "conversion": 0}], "[0].conversion", "how_many"),
            ([{**bounce, "guard": 1}], "[0].guard", "measure_yes_or_no"),
            ([{**bounce, "lower_is_better": "no"}], "[0].lower_is_better", "measure_yes_or_no"),
            ([{**bounce, "guard": True, "margin": 1.5}], "[0].margin", "measure_margin"),
            ([{**bounce, "guard": True, "margin": True}], "[0].margin", "measure_margin"),
            ([{**bounce, "worse": 1}], "[0]", "unknown_part"),
        ]
        for data, field, code in cases:
            with self.subTest(data), self.assertRaises(RuleError) as raised:
                read_measures(data)
            self.assertEqual((raised.exception.field, raised.exception.told.code), (field, code))
