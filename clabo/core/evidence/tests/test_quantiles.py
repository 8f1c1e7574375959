"""Quantiles between order statistics, and what a page's views waited for."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binom

from clabo.core.evidence import quantile_interval
from clabo.core.pages.worst import wait_of


class Quantiles(unittest.TestCase):
    @given(
        st.lists(st.integers(0, 60), min_size=1, max_size=120),
        st.sampled_from([0.1, 0.5, 0.75, 0.9]),
        st.sampled_from([0.8, 0.95]),
    )
    def test_limits_are_the_innermost_ranks_that_are_wrong_seldom_enough(
        self, values: list[int], share: float, level: float
    ) -> None:
        found = quantile_interval(values, share, level)
        ordered, n, half = sorted(values), len(values), (1 - level) / 2 * (1 + 1e-9)
        # By the definition: rank r is a lower limit where fewer than r values below are seldom.
        lows = [r for r in range(1, n + 1) if sum(binom.pmf(k, n, share) for k in range(r)) <= half]
        highs = [r for r in range(1, n + 1) if sum(binom.pmf(k, n, share) for k in range(r, n + 1)) <= half]
        self.assertEqual(found.low, ordered[max(lows) - 1] if lows else -math.inf)
        self.assertEqual(found.high, ordered[min(highs) - 1] if highs else math.inf)
        self.assertEqual(found.estimate, np.quantile(values, share, method="inverted_cdf"))

    @given(st.lists(st.tuples(st.integers(0, 9), st.integers(0, 9)), max_size=12))
    def test_values_that_occur_often_are_those_values_over_again(self, some: list[tuple[int, int]]) -> None:
        spread = [value for value, times in some for _ in range(times)]
        packed = quantile_interval([v for v, _ in some], 0.75, times=[n for _, n in some])
        self.assertEqual(str(packed), str(quantile_interval(spread, 0.75)))

    def test_it_holds_the_true_quantile_as_often_as_it_says(self) -> None:
        rng = np.random.default_rng(20261127)
        true = math.log(4)
        held = 0
        for _ in range(2000):
            found = quantile_interval(rng.exponential(size=60), 0.75)
            held += found.low <= true <= found.high
        self.assertGreaterEqual(held / 2000, 0.945)

    def test_what_cannot_be(self) -> None:
        for wrong in (
            lambda: quantile_interval([1], 0),
            lambda: quantile_interval([1], 1),
            lambda: quantile_interval([1], 0.5, level=1),
            lambda: quantile_interval([1, 2], 0.5, times=[1]),
            lambda: quantile_interval([1], 0.5, times=[-1]),
        ):
            self.assertRaises(ValueError, wrong)
        self.assertTrue(math.isnan(quantile_interval([], 0.5).estimate))


class Waits(unittest.TestCase):
    def test_slow_is_what_is_so_beyond_doubt(self) -> None:
        self.assertFalse(wait_of([9000] * 19).slow)
        self.assertTrue(wait_of([9000] * 20).slow)
        self.assertFalse(wait_of([2500] * 400).slow)
        # Three in ten waited long: that a quarter did is not yet sure of 40, and is of 4000.
        self.assertFalse(wait_of([4000, 1000], [12, 28]).slow)
        self.assertTrue(wait_of([4000, 1000], [1200, 2800]).slow)
        self.assertEqual(wait_of([4000, 1000], [12, 28]).measured, 40)
