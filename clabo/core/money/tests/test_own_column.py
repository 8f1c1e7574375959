"""Columns of one's own, and the ratio of two counts against simulation and the exact test."""

from __future__ import annotations

import math
import unittest
from decimal import Decimal

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binomtest

from clabo.core.evidence import count_ratio, rate_interval
from clabo.core.money.own_column import MEASURES, Ratio


class OfTwoCounts(unittest.TestCase):
    @settings(max_examples=100, deadline=None)
    @given(st.integers(0, 500), st.integers(1, 500), st.sampled_from([0.8, 0.95, 0.99]))
    def test_limits_are_those_of_the_share_carried_over(self, a: int, b: int, level: float) -> None:
        i = count_ratio(a, b, level)
        limits = binomtest(a, a + b).proportion_ci(level, "wilson")
        self.assertAlmostEqual(i.low / (1 + i.low), limits.low, places=9)
        self.assertAlmostEqual(i.high / (1 + i.high), limits.high, places=9)
        self.assertAlmostEqual(i.estimate, a / b)

    def test_it_covers_what_it_says(self) -> None:
        chance = np.random.default_rng(5)
        for mean_a, mean_b in ((8, 20), (60, 40), (300, 900)):
            a, b = chance.poisson(mean_a, 3000), chance.poisson(mean_b, 3000)
            inside = [
                (i := count_ratio(int(x), int(y))).low <= mean_a / mean_b <= i.high
                for x, y in zip(a, b, strict=True)
                if y
            ]
            self.assertAlmostEqual(float(np.mean(inside)), 0.95, delta=0.02)

    def test_over_nothing_it_knows_nothing(self) -> None:
        self.assertTrue(math.isnan(count_ratio(3, 0).estimate))
        for wrong in ((-1, 2), (1.5, 2), (1, -1)):
            with self.assertRaises(ValueError):
                count_ratio(*wrong)  # type: ignore[arg-type]


class Ratios(unittest.TestCase):
    def test_a_part_of_a_whole_is_a_rate(self) -> None:
        self.assertEqual(Ratio("converted", "entries").of(3, 40), rate_interval(3, 40))
        self.assertEqual(Ratio("entries", "clicks").of(90, 100), count_ratio(90, 100))

    def test_what_is_no_independent_event_has_no_limits(self) -> None:
        for ratio, a, b in (
            (Ratio("begun_views", "entries"), 90, 40),
            (Ratio("spend", "clicks"), Decimal("12.50"), 10),
            (Ratio("conversions", "clicks"), Decimal("2.5"), 10),
            (Ratio("profit", "entries"), Decimal(-5), 10),
            # About midnight there may be one exit more than views.
            (Ratio("exits", "views"), 3, 2),
        ):
            found = ratio.of(a, b)
            assert found
            self.assertAlmostEqual(found.estimate, float(a) / float(b))
            self.assertTrue(math.isnan(found.low) and math.isnan(found.high), ratio)

    def test_over_nothing_or_of_what_is_not_known_there_is_none(self) -> None:
        ratio = Ratio("visitors", "spend")
        self.assertIsNone(ratio.of(None, 3))
        self.assertIsNone(ratio.of(3, None))
        self.assertIsNone(ratio.of(3, Decimal(0)))

    def test_only_measures_that_there_are_and_two_of_them(self) -> None:
        for wrong in (("x", "entries"), ("entries", "x"), ("entries", "entries")):
            with self.assertRaises(ValueError):
                Ratio(*wrong)
        self.assertEqual(len(set(MEASURES)), len(MEASURES))
