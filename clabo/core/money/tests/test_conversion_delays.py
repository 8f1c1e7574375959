"""Delays against histories whose delays are known."""

from __future__ import annotations

import unittest
from collections import Counter

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.money.conversion_delays import FEWEST, Came, delays, to_come

WINDOW, CLOCK = 8, 9.5


class Known(unittest.TestCase):
    def history(
        self, chance: np.random.Generator, per_day: float, days: int, mean: float = 40.0
    ) -> tuple[Counter[Came], list[int], int]:
        """What of a history can be seen today, by day; and how many of its visits so far are still to come."""
        seen: Counter[Came] = Counter()
        by_day = [0] * days
        coming = 0
        for age in range(days):
            began = chance.uniform(0, 24, chance.poisson(per_day))
            for b, after in zip(began, began + chance.exponential(mean, len(began)), strict=True):
                if after - b > 24 * WINDOW or (age == 0 and b >= CLOCK):
                    continue
                if after <= 24 * age + CLOCK:
                    seen[Came(age, int(b), int(after))] += 1
                    by_day[age] += 1
                else:
                    coming += 1
        return seen, by_day, coming

    def test_the_curve_is_found_although_recent_days_are_cut_off(self) -> None:
        chance = np.random.default_rng(3)
        found = delays(self.history(chance, 2000, 30)[0], WINDOW, CLOCK)
        assert found
        began = chance.uniform(0, 24, 400_000)
        after = began + chance.exponential(40, len(began))
        within = after - began <= 24 * WINDOW
        for age in range(1, WINDOW + 2):
            part = (after[within] <= 24 * age + CLOCK).mean()
            self.assertAlmostEqual(found.part(age), float(part), delta=0.02)
            low, high = np.quantile(found.drawn[:, age], [0.01, 0.99])
            self.assertLessEqual(low - 0.01, found.part(age))
            self.assertGreaterEqual(high + 0.01, found.part(age))
        self.assertEqual(found.part(100), 1)
        early = within & (began < CLOCK)
        self.assertAlmostEqual(found.so_far, float(early.sum() / within.sum()), delta=0.02)
        self.assertAlmostEqual(found.part(0), float((after[early] <= CLOCK).mean()), delta=0.02)

    def test_what_is_to_come_lies_in_its_interval_as_often_as_it_says(self) -> None:
        chance = np.random.default_rng(11)
        inside, off = 0, []
        for _ in range(200):
            seen, by_day, coming = self.history(chance, 30, 40)
            found = delays(seen, WINDOW, CLOCK)
            assert found
            i = to_come(found, [(age, float(n)) for age, n in enumerate(by_day)])
            inside += i.low <= coming <= i.high
            off.append(i.estimate - coming)
        self.assertAlmostEqual(inside / 200, 0.955, delta=0.04)
        self.assertLess(abs(float(np.mean(off))), 3)

    def test_it_follows_what_has_changed(self) -> None:
        """For twenty days delays are twice as long."""
        chance = np.random.default_rng(5)
        before, _, _ = self.history(chance, 300, 60, 20.0)
        since, by_day, coming = self.history(chance, 300, 20, 60.0)
        seen = since + Counter({c: n for c, n in before.items() if c.age >= 20})
        found = delays(seen, WINDOW, CLOCK)
        assert found
        i = to_come(found, [(age, float(n)) for age, n in enumerate(by_day)])
        self.assertAlmostEqual(i.estimate / coming, 1, delta=0.1)

    @settings(max_examples=60, deadline=None)
    @given(
        st.dictionaries(
            st.integers(0, 12).flatmap(
                lambda a: st.builds(Came, st.just(a), st.integers(0, 8), st.integers(8, 24 * min(a, 7) + 9))
            ),
            st.integers(1, 50).map(float),
            max_size=12,
        ),
        st.lists(st.integers(0, 40), min_size=1, max_size=12),
    )
    def test_more_has_come_the_older_a_day_is(self, counts: dict[Came, float], row: list[int]) -> None:
        found = delays(counts, 6, CLOCK)
        if sum(counts.values()) < FEWEST or max(c.age for c in counts) < 6:
            self.assertIsNone(found)
            return
        assert found
        self.assertTrue(np.all(np.diff(found.arrived[1:]) >= -1e-12))
        self.assertEqual(found.arrived[-1], 1)
        self.assertEqual(to_come(found, [(9, 40.0)]).estimate, 0)
        i = to_come(found, [(age, float(n)) for age, n in enumerate(row)])
        self.assertTrue(0 <= i.low <= i.estimate <= i.high)

    def test_nothing_comes_from_the_future_or_before_its_visit(self) -> None:
        for wrong in (Came(0, 9, 10), Came(9, 0, -1), Came(-1, 0, 0)):
            with self.assertRaises(ValueError):
                delays({wrong: 30.0}, 6, CLOCK)
        self.assertIsNone(delays({}, 6, CLOCK))
