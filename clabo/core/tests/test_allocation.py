"""The next euro's best place, against simulation and by brute force."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import integrate, stats

from clabo.core.allocation import LEAST_SURE, STEP, Spent, best_move, shrunk_rates, surer

PLACES = st.lists(
    st.builds(
        Spent,
        st.floats(5, 5000),
        st.integers(0, 300),
        st.sampled_from([4.0, 35.0, 59.0]),
    ),
    min_size=2,
    max_size=7,
)


class Allocation(TestCase):
    def test_the_prior_is_found_again(self) -> None:
        """From 400 places whose rates come from a known Gamma."""
        chance = np.random.default_rng(5)
        shape, rate = 3.0, 60.0
        spends = chance.uniform(100, 2000, 400)
        counts = chance.poisson(chance.gamma(shape, 1 / rate, 400) * spends)
        found = shrunk_rates([Spent(s, int(n), 1.0) for s, n in zip(spends, counts, strict=True)])
        self.assertAlmostEqual(found[0] / found[1], shape / rate, delta=0.06 * shape / rate)
        self.assertAlmostEqual(found[0], shape, delta=0.6)

    def test_places_that_do_alike_are_taken_together(self) -> None:
        shape, rate = shrunk_rates([Spent(1000.0, 50, 1.0), Spent(2000.0, 100, 1.0), Spent(40.0, 2, 1.0)])
        self.assertGreater(shape, 1000)
        self.assertAlmostEqual(shape / rate, 0.05, delta=0.001)
        for places in ([], [Spent(0.0, 1, 1.0)], [Spent(10.0, 0, 1.0)]):
            with self.assertRaises(ValueError):
                shrunk_rates(places)

    @given(
        st.tuples(st.floats(0.5, 80), st.floats(0.5, 80)),
        st.tuples(st.floats(0.5, 80), st.floats(0.5, 80)),
        st.floats(0.2, 5),
    )
    @settings(max_examples=30, deadline=None)
    def test_which_is_greater(self, a: tuple[float, float], b: tuple[float, float], times: float) -> None:
        """Against the integral over the other's distribution."""
        other = stats.gamma(b[0], scale=1 / b[1])
        points = np.linspace(0, 1, 4_001)[1:-1]
        expected = integrate.trapezoid(
            stats.gamma.sf(times * other.ppf(points), a[0], scale=1 / a[1]), points
        )
        self.assertAlmostEqual(surer(a, b, times), float(expected), delta=0.004)

    @given(PLACES, st.sampled_from([0.4, 1.0]))
    @settings(max_examples=30, deadline=None)
    def test_no_other_move_promises_more(self, places: list[Spent], margin: float) -> None:
        move = best_move(places, margin)
        if sum(p.conversions for p in places) == 0:
            self.assertIsNone(move)
            return
        shape, rate = shrunk_rates(places)
        draws = 20_000
        chance = np.random.default_rng(1)
        drawn = [
            margin * p.each * chance.gamma(shape + p.conversions, 1 / (rate + p.spend), draws) for p in places
        ]
        options = {}
        for take, to in enumerate(places):
            for give, of in enumerate(places):
                if take != give:
                    gains = min(STEP * to.spend, of.spend) * (drawn[take] - drawn[give])
                    options[give, take] = (float(gains.mean()), float((gains > 0).mean()), gains)
        sure = {k: v for k, v in options.items() if v[1] >= LEAST_SURE + 0.02 and v[0] > 0}
        if move is None:
            self.assertFalse(sure)
            return
        mean, chances, gains = options[move.give, move.take]
        spread = float(gains.std())
        self.assertAlmostEqual(move.gain.estimate, mean, delta=0.05 * spread + 1e-9)
        self.assertAlmostEqual(move.sure, chances, delta=0.02)
        low, high = np.quantile(gains, [0.025, 0.975])
        self.assertAlmostEqual(move.gain.low, low, delta=0.15 * spread + 1e-9)
        self.assertAlmostEqual(move.gain.high, high, delta=0.15 * spread + 1e-9)
        if sure:
            best = max(v[0] for v in sure.values())
            self.assertGreaterEqual(move.gain.estimate, best - 0.06 * spread - 1e-9)

    def test_luck_moves_nothing(self) -> None:
        """One order after 15 euros is no reason to move thousands; eighty after a thousand are."""
        self.assertIsNone(best_move([Spent(1000.0, 25, 59.0), Spent(15.0, 1, 59.0)]))
        move = best_move([Spent(1000.0, 25, 59.0), Spent(1000.0, 80, 59.0)], 0.6)
        assert move
        self.assertEqual((move.give, move.take, move.amount), (0, 1, 200.0))
        self.assertGreater(move.gain.low, 0)
        with self.assertRaises(ValueError):
            best_move([], 0)
