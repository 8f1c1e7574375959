"""The next euro's best place, against importance resampling of the same models and by what it must not say."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from clabo.core.money.allocation import LEAST_SURE, STEP, Spent, best_move, elasticity

PLACES = st.lists(
    st.builds(
        Spent,
        st.floats(5, 5000),
        st.integers(0, 300),
        st.sampled_from([4.0, 35.0, 59.0]),
        st.sampled_from([0.0, 1.7]),
    ),
    min_size=2,
    max_size=7,
)


def two(first: int, second: int, **more: float) -> list[Spent]:
    return [
        Spent(1000.0, first, 59.0, more.get("spread", 0.0)),
        Spent(1000.0, second, 59.0, more.get("spread", 0.0)),
    ]


class Allocation(TestCase):
    def test_the_gain_of_two_places_by_resampling(self) -> None:
        """Parameters of sites drawn from what is supposed beforehand, weighed by the likelihood of what came."""
        places = [Spent(1000.0, 25, 59.0, 0.5), Spent(1000.0, 80, 71.0, 0.5)]
        move = best_move(places, 0.6)
        assert move
        chance = np.random.default_rng(11)
        n = 1_000_000
        mean = 0.105 / 2 * np.exp(chance.uniform(-2, 2, n))
        deviation = np.abs(chance.normal(0, 0.5, n)).clip(0.02, 2)
        rates = mean * chance.gamma(1 / deviation**2, size=(2, n)) * deviation**2
        logs = chance.uniform(3, 5.2, n) + np.abs(chance.normal(0, 0.5, n)) * chance.normal(size=(2, n))
        came, worth = np.zeros(n), np.zeros(n)
        for place, rate, log in zip(places, rates, logs, strict=True):
            error = math.log1p(0.5 / place.conversions)
            came += stats.poisson.logpmf(place.conversions, 1000 * rate)
            worth += stats.norm.logpdf(math.log(place.each) + error / 2, log, math.sqrt(error))

        def resampled(drawn: np.ndarray, log_weight: np.ndarray) -> np.ndarray:
            weight = np.exp(log_weight - log_weight.max())
            return drawn[:, chance.choice(n, n, p=weight / weight.sum())]

        centres = np.linspace(0.3, 0.98, 18)
        prior = stats.beta.pdf(centres, 0.7 * 10, 0.3 * 10)
        centre = chance.choice(centres, n, p=prior / prior.sum())
        powers = chance.beta(4 * centre, 4 * (1 - centre), (2, n))
        brought = 1000 * resampled(rates, came) * np.exp(resampled(logs, worth))
        gains = 0.6 * (brought[1] * (1.2 ** powers[1] - 1) - brought[0] * (1 - 0.8 ** powers[0]))
        self.assertEqual((move.give, move.take, move.amount), (0, 1, 200.0))
        self.assertAlmostEqual(move.gain.estimate / float(gains.mean()), 1, delta=0.05)
        self.assertAlmostEqual(move.sure, float(np.mean(gains > 0)), delta=0.01)
        for limit, at in zip(
            (move.gain.low, move.gain.high), np.quantile(gains, [0.025, 0.975]), strict=True
        ):
            self.assertAlmostEqual(limit, at, delta=0.08 * (move.gain.high - move.gain.low))

    @given(PLACES, st.sampled_from([0.4, 1.0]))
    @settings(max_examples=30, deadline=None)
    def test_what_is_said_holds_together(self, places: list[Spent], margin: float) -> None:
        move = best_move(places, margin)
        if move is None:
            return
        give, take = places[move.give], places[move.take]
        self.assertEqual(move.amount, min(STEP * take.spend, give.spend))
        self.assertGreaterEqual(move.sure, LEAST_SURE)
        self.assertLessEqual(move.gain.low, move.gain.estimate)
        self.assertLessEqual(move.gain.estimate, move.gain.high)
        # The margin only scales it, and the order in which places stand is nothing.
        whole = best_move(places[::-1], 1.0)
        assert whole
        self.assertEqual((places[::-1][whole.give], places[::-1][whole.take]), (give, take))
        self.assertAlmostEqual(whole.gain.estimate * margin, move.gain.estimate, places=6)

    def test_luck_moves_nothing(self) -> None:
        """One order after 15 euros is no reason to move thousands; a hundred and twenty after a thousand are."""
        self.assertIsNone(best_move([Spent(1000.0, 25, 59.0, 0.0), Spent(15.0, 1, 59.0, 0.0)]))
        self.assertIsNone(best_move(two(25, 36)))
        self.assertIsNone(best_move([]))
        self.assertIsNone(best_move(two(0, 0)))
        move = best_move(two(25, 120), 0.6)
        assert move
        self.assertGreater(move.gain.estimate, 0)
        with self.assertRaises(ValueError):
            best_move([], 0)

    def test_a_few_large_orders_are_luck(self) -> None:
        """The same money by orders that vary says less; where nobody says how much they vary, the means tell."""
        places = [Spent(1000.0, 60, each, 0.0) for each in (30.0, 120.0, 60.0)]
        self.assertIsNotNone(best_move(places))
        for spread in (8.0, None):
            self.assertIsNone(best_move([Spent(p.spend, p.conversions, p.each, spread) for p in places]))

    def test_the_elasticity_is_found_again(self) -> None:
        """From weeks whose budget was changed; without any it is what is supposed."""
        chance = np.random.default_rng(3)
        self.assertAlmostEqual(elasticity([Spent(1.0, 1, 1.0)]).estimate, 0.69, delta=0.02)
        for power in (0.4, 0.9):
            places = []
            for _ in range(12):
                spend = np.repeat(chance.uniform(20, 200, 12), 7)
                came = chance.poisson(2 * spend**power)
                days = list(zip(came.tolist(), spend.tolist(), strict=True))
                places.append(Spent(float(spend.sum()), int(came.sum()), 50.0, 0.0, days))
            found = elasticity(places)
            self.assertAlmostEqual(found.estimate, power, delta=0.1)
            self.assertLessEqual(found.low, found.estimate)
            self.assertLess(found.high - found.low, 0.4)
