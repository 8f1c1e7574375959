"""Adjusted means against a regression on arm, strata and their interactions."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
import statsmodels.api as sm
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.evidence import Moments, adjusted, information, looks, saved, standard_error
from clabo.core.evidence.experiments.adjusted import FEWEST_IN_STRATUM


def drawn(
    seed: int, strata: int, size: int, effect: float = 0.0
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Arm, stratum and outcome of so many visitors; strata differ in their rate."""
    chance = np.random.default_rng(seed)
    arm, stratum = chance.integers(0, 2, size), chance.integers(0, strata, size)
    rates = np.linspace(0.05, 0.6, strata)[stratum] + effect * arm
    return arm, stratum, (chance.random(size) < rates).astype(float)


def by_stratum(arm: np.ndarray, stratum: np.ndarray, outcome: np.ndarray) -> list[dict[int, Moments]]:
    return [
        {int(s): Moments.of(outcome[(arm == a) & (stratum == s)]) for s in np.unique(stratum[arm == a])}
        for a in (0, 1)
    ]


class Adjusted(TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.integers(0, 10**6), st.integers(2, 5), st.sampled_from([0.0, 0.1]))
    def test_as_the_regression_has_it(self, seed: int, strata: int, effect: float) -> None:
        arm, stratum, outcome = drawn(seed, strata, 200 * strata, effect)
        a, b = adjusted(by_stratum(arm, stratum, outcome))
        dummies = np.stack([(stratum == s).astype(float) for s in range(1, strata)], axis=1)
        centred = dummies - dummies.mean(axis=0)
        x = np.column_stack([np.ones(len(arm)), arm, centred, centred * arm[:, None]])
        fitted = sm.OLS(outcome, x).fit(cov_type="HC2")
        self.assertAlmostEqual(b.mean - a.mean, fitted.params[1], 9)
        ours = math.sqrt(a.variance / a.n + b.variance / b.n)
        self.assertAlmostEqual(ours, fitted.bse[1], 9)

    @settings(max_examples=100, deadline=None)
    @given(st.integers(0, 10**6), st.integers(1, 8), st.integers(0, 400))
    def test_nobody_is_lost_where_strata_are_small(self, seed: int, strata: int, size: int) -> None:
        arms = by_stratum(*drawn(seed, strata, size))
        plain = [sum(of.values(), Moments(0, 0.0, 0.0)) for of in arms]
        found = adjusted(arms)
        self.assertEqual([m.n for m in found], [m.n for m in plain])
        if min(m.n for m in plain) < 2 * FEWEST_IN_STRATUM or strata == 1:
            self.assertEqual(found, plain)
        for m in found:
            self.assertTrue(0 <= m.mean <= 1 and m.variance >= 0)

    def test_what_tells_visitors_apart_saves_some(self) -> None:
        arm, stratum, outcome = drawn(3, 4, 8000)
        arms = by_stratum(arm, stratum, outcome)
        plain = [sum(of.values(), Moments(0, 0.0, 0.0)) for of in arms]
        gain = saved(standard_error(*plain), standard_error(*adjusted(arms)))
        self.assertTrue(0.1 < gain < 0.25, gain)
        # What tells nothing saves nothing.
        nothing = by_stratum(arm, np.random.default_rng(9).integers(0, 4, 8000), outcome)
        self.assertAlmostEqual(
            saved(standard_error(*plain), standard_error(*adjusted(nothing))), 0, delta=0.01
        )

    def test_looked_at_daily_it_cries_wolf_no_more_than_it_may(self) -> None:
        # A few hundred here; twenty thousand in bench/statistics/adjusted.py.
        alarms = 0
        for seed in range(300):
            arm, stratum, outcome = drawn(seed, 3, 2800)
            days = np.repeat(np.arange(14), 200)
            said = [adjusted(by_stratum(*(c[days <= d] for c in (arm, stratum, outcome)))) for d in range(14)]
            looked = looks([a for a, _ in said], [b for _, b in said], information(1400, 1400), 0.95)
            alarms += any(x.interval.low > 0 or x.interval.high < 0 for x in looked)
        # Of 300 with 5 % each, more than 29 have a chance of 1 in 1,000.
        self.assertLess(alarms, 30)
