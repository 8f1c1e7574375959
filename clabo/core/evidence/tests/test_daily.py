"""The day's reading: boundaries against the published table and a simulation, intervals against their own formula."""

from __future__ import annotations

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import norm

from clabo.core.evidence import Counts, Moments
from clabo.core.evidence.experiments.daily import LEAST_STEP, bounds, information, looks, spent


class Bounds(unittest.TestCase):
    def test_the_published_table(self) -> None:
        """Reboussin, DeMets, Kim & Lan (Controlled Clinical Trials 21, 2000): two-sided 0.05, five equal looks."""
        published = (4.877, 3.357, 2.680, 2.290, 2.031)
        for mine, theirs in zip(bounds([0.2, 0.4, 0.6, 0.8, 1.0]), published, strict=True):
            self.assertEqual(round(mine, 3), theirs)

    @given(st.sampled_from([0.01, 0.045, 0.1]))
    def test_one_look_is_no_look_too_many(self, alpha: float) -> None:
        self.assertAlmostEqual(bounds([1.0], alpha)[0], norm.isf(alpha / 2), places=9)
        self.assertAlmostEqual(bounds([1.3], alpha)[0], norm.isf(alpha / 2), places=9)

    @settings(max_examples=8)
    @given(st.lists(st.floats(0.004, 0.25), min_size=2, max_size=30), st.integers(0, 2**32 - 1))
    def test_a_first_crossing_is_as_likely_as_what_may_be_spent(self, steps: list[float], seed: int) -> None:
        times = np.cumsum(steps)
        edges = np.array(bounds(list(times), 0.1))
        rng = np.random.default_rng(seed)
        runs = 40_000
        paths = np.cumsum(rng.standard_normal((runs, len(steps))) * np.sqrt(steps), axis=1) / np.sqrt(times)
        crossed = (np.abs(paths) >= edges).any(axis=1).mean()
        expected = spent(float(times[-1]), 0.1)
        self.assertAlmostEqual(crossed, expected, delta=5 * math.sqrt(0.1 * 0.9 / runs))

    def test_more_looks_than_planned_never_cost_more_than_the_level(self) -> None:
        self.assertAlmostEqual(spent(1, 0.05), 0.05)
        self.assertEqual(spent(0, 0.05), 0)
        self.assertLess(spent(0.999, 0.05), 0.05)
        many = bounds([i * LEAST_STEP for i in range(1, 501)])
        self.assertGreater(many[-1], bounds([1.0])[0])
        self.assertEqual(many[0], math.inf)

    def test_what_cannot_be(self) -> None:
        for wrong in ([0.0], [0.5, 0.5], [0.5, 0.4], [0.5, 0.5 + LEAST_STEP / 2]):
            self.assertRaises(ValueError, bounds, wrong)
        for alpha in (0.0, 1.0):
            self.assertRaises(ValueError, bounds, [1.0], alpha)


days = st.lists(
    st.tuples(st.integers(0, 300), st.integers(0, 300), st.floats(0, 1), st.floats(0, 1)),
    min_size=1,
    max_size=25,
)


class Looks(unittest.TestCase):
    @settings(max_examples=60)
    @given(days, st.integers(100, 4000))
    def test_each_is_the_estimate_and_its_bound_in_standard_errors(
        self, added: list[tuple[int, int, float, float]], planned: int
    ) -> None:
        control, challenger = Counts(0, 0), Counts(0, 0)
        a, b = [], []
        for n0, n1, p0, p1 in added:
            control += Counts(round(n0 * p0), n0)
            challenger += Counts(round(n1 * p1), n1)
            a.append(control)
            b.append(challenger)
        size = information(planned, planned)
        found = looks([Moments.of_counts(c) for c in a], [Moments.of_counts(c) for c in b], size, 0.955)
        edges = bounds([x.time for x in found], 1 - 0.955) if found else []
        for look, edge in zip(found, edges, strict=True):
            x, y = a[look.place], b[look.place]
            self.assertTrue(all(min(c.conversions, c.failures) >= 5 for c in (x, y)))
            self.assertAlmostEqual(look.time, 1 / (1 / x.trials + 1 / y.trials) / size)
            own = sum(c.rate * (1 - c.rate) / (c.trials - 1) for c in (x, y))
            both = x + y
            common = both.rate * (1 - both.rate) * both.trials / (both.trials - 1)
            error = math.sqrt(max(own, common * (1 / x.trials + 1 / y.trials)))
            self.assertAlmostEqual(look.interval.estimate, y.rate - x.rate)
            self.assertAlmostEqual(look.interval.high, y.rate - x.rate + edge * error)
            self.assertAlmostEqual(look.interval.low, y.rate - x.rate - edge * error)
        # None after the first that has all that was planned.
        self.assertTrue(all(x.time < 1 for x in found[:-1]))

    def test_false_alarms_and_power_of_daily_looks(self) -> None:
        """28 uneven days at rates that do not differ, or by as much as was planned for (80 % at a single look)."""
        rng = np.random.default_rng(7)
        days, runs = 28, 400
        alarms = found = 0
        for lift, p in ((False, 0.05), (True, 0.06174)):
            for _ in range(runs):
                n = rng.multinomial(6000, rng.dirichlet(np.full(days, 4.0)), size=2)
                x = np.cumsum(rng.binomial(n[0], 0.05)), np.cumsum(rng.binomial(n[1], p))
                total = np.cumsum(n, axis=1)
                arms = [
                    [Moments.of_counts(Counts(int(c), int(t))) for c, t in zip(x[i], total[i], strict=True)]
                    for i in (0, 1)
                ]
                said = looks(arms[0], arms[1], information(6000, 6000))
                crossed = any(s.interval.low > 0 or s.interval.high < 0 for s in said)
                if lift:
                    found += crossed
                else:
                    alarms += crossed
        self.assertLess(alarms / runs, 0.05 + 3 * math.sqrt(0.05 * 0.95 / runs))
        self.assertGreater(found / runs, 0.72)

    def test_a_plan_of_nothing(self) -> None:
        self.assertRaises(ValueError, looks, [], [], 0)
        self.assertEqual(looks([], [], 10), [])
        self.assertEqual(information(0, 0), 0)
