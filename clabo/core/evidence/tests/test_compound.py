"""What conversions bring, against simulation, other formulas and the same turned round."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy import integrate, stats

from clabo.core.evidence.compound import (
    NO_VALUES,
    Spread,
    ValueSums,
    chance_of_less,
    chance_of_more,
    expected_total,
)

VALUES = st.lists(st.floats(0, 5000).map(lambda x: round(x, 2)), max_size=40)


def rows_of(sigma: float, chance: np.random.Generator, rows: int = 12) -> list[ValueSums]:
    return [ValueSums.of(chance.lognormal(m, sigma, 15)) for m in chance.normal(3, 1, rows)]


class Sums(TestCase):
    @given(VALUES, VALUES)
    def test_those_of_two_are_those_of_all(self, some: list[float], others: list[float]) -> None:
        together, apart = ValueSums.of(some + others), ValueSums.of(some) + ValueSums.of(others)
        for name in ("count", "total", "squares", "positive", "logs", "log_squares"):
            self.assertTrue(
                math.isclose(getattr(together, name), getattr(apart, name), rel_tol=1e-9, abs_tol=1e-9)
            )

    @given(st.floats(0, 1000).map(lambda x: round(x, 2)), st.integers(1, 9))
    def test_shares_of_one_are_one(self, value: float, parts: int) -> None:
        shares = [ValueSums.of_share(1 / parts, value / parts) for _ in range(parts)]
        whole = sum(shares, NO_VALUES)
        for name in ("count", "total", "squares", "positive", "logs", "log_squares"):
            self.assertTrue(
                math.isclose(
                    getattr(whole, name), getattr(ValueSums.of([value]), name), rel_tol=1e-9, abs_tol=1e-9
                )
            )


class Limits(TestCase):
    def test_of_conversions_that_are_worth_the_same_they_are_the_exact_ones(self) -> None:
        for n in (0, 1, 3, 40):
            sums = ValueSums.of([59.0] * n)
            found = expected_total(sums, Spread.of([sums], 59.0, fixed=True))
            low = stats.chi2.ppf(0.025, 2 * n) / 2 if n else 0.0
            self.assertAlmostEqual(found.low / 59, low)
            self.assertAlmostEqual(found.high / 59, stats.chi2.ppf(0.975, 2 * n + 2) / 2)

    def test_the_upper_limit_is_the_lognormal_models_by_integration(self) -> None:
        chance = np.random.default_rng(4)
        rows = rows_of(1.3, chance)
        row = ValueSums.of(chance.lognormal(3, 1.3, 9))
        spread = Spread.of([row, *rows], 20.0)
        high = expected_total(row, spread).high
        n = row.positive

        def beyond(variance: float) -> float:
            """For one variance: the rest by numerical integration over the mean's normal deviate."""

            def inner(z: float) -> float:
                needed = math.log(high) - row.logs / n - z * math.sqrt(variance / n) - variance / 2
                return stats.norm.pdf(z) * stats.gamma.sf(math.exp(min(needed, 600)), n + 0.5)

            return integrate.quad(inner, -9, 9)[0]

        draws = spread.deviations / stats.chi2.ppf((np.arange(400) + 0.5) / 400, spread.freedom)
        self.assertAlmostEqual(float(np.mean([beyond(v) for v in draws])), 0.025, delta=0.0015)

    @given(st.integers(0, 10**6), st.sampled_from([0.9, 0.95, 0.99]))
    def test_the_chances_are_the_limits_turned_round(self, seed: int, level: float) -> None:
        chance = np.random.default_rng(seed)
        row = ValueSums.of(chance.lognormal(2, chance.uniform(0, 1.4), int(chance.integers(1, 30))))
        others = rows_of(float(chance.uniform(0.1, 1.4)), chance)
        spread = Spread.of([row, *others], 20.0, dispersion=float(chance.choice([1.0, 1.7, 4.0])))
        found, tail = expected_total(row, spread, level), (1 - level) / 2
        self.assertAlmostEqual(chance_of_less(row, spread, found.low), tail, places=9)
        self.assertAlmostEqual(chance_of_more(row, spread, found.high) / tail, 1, delta=0.3)
        self.assertLessEqual(found.low, found.estimate)
        self.assertLessEqual(found.estimate, found.high)

    @given(VALUES, st.floats(0.01, 100))
    def test_in_another_currency_it_is_the_same(self, values: list[float], rate: float) -> None:
        here, there = ValueSums.of(values), ValueSums.of([v * rate for v in values])
        of = [expected_total(s, Spread.of([s], 50.0 * r)) for s, r in ((here, 1.0), (there, rate))]
        for name in ("low", "estimate", "high"):
            one, other = getattr(of[0], name) * rate, getattr(of[1], name)
            self.assertTrue(
                one == other or math.isclose(one, other, rel_tol=1e-6, abs_tol=1e-9), (name, one, other)
            )

    def test_with_few_values_that_differ_nothing_bounds_it(self) -> None:
        row = ValueSums.of([20.0, 900.0, 35.0])
        self.assertEqual(expected_total(row, Spread.of([row], 1.0)).high, math.inf)
        self.assertEqual(chance_of_more(row, Spread.of([row], 1.0), 1e9), 1.0)

    def test_it_holds_the_truth_as_often_as_it_says(self) -> None:
        """A few thousand draws a setting; the bench has more of them (./bench/run findings)."""
        chance = np.random.default_rng(20261201)
        for sigma in (0.5, 1.5):
            others = [ValueSums.of(chance.lognormal(-sigma * sigma / 2, sigma, 20)) for _ in range(20)]
            below = above = 0
            for _ in range(1500):
                row = ValueSums.of(chance.lognormal(-sigma * sigma / 2, sigma, int(chance.poisson(20))))
                found = expected_total(row, Spread.of([row, *others], 1.0))
                below += found.high < 20
                above += found.low > 20
            self.assertLess(below / 1500, 0.025 + 3 * math.sqrt(0.025 * 0.975 / 1500), sigma)
            self.assertLess(above / 1500, 0.025 + 3 * math.sqrt(0.025 * 0.975 / 1500), sigma)
