"""After how many days nearly all conversions have come, on histories whose delays are known."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from clabo.core.splits.conversion_window import conversion_window


def arm(
    chance: np.random.Generator, mean_days: float, per_day: int, days: int
) -> tuple[np.ndarray, np.ndarray]:
    """First conversions of so many days, seen by the end of the last."""
    ages = np.repeat(np.arange(days), per_day)
    lags = chance.exponential(mean_days * 24, len(ages)) if mean_days else np.zeros(len(ages))
    seen = lags < 24 * ages + chance.uniform(0, 24, len(ages))
    return ages[seen], lags[seen].astype(int)


class Window(TestCase):
    def test_what_comes_at_once_is_compared_at_once(self) -> None:
        chance = np.random.default_rng(1)
        self.assertEqual(conversion_window([arm(chance, 0, 10, 20), arm(chance, 0, 10, 20)]), 0)
        self.assertEqual(conversion_window([]), 0)
        self.assertEqual(conversion_window([(np.zeros(0, int), np.zeros(0, int))] * 2), 0)

    def test_the_slower_arm_says_how_long(self) -> None:
        """97 of 100 of an exponential of five days have come after 17.5; of a fast arm nothing is to be waited for."""
        chance = np.random.default_rng(2)
        for first, second in ((0.0, 5.0), (5.0, 0.0)):
            found = conversion_window([arm(chance, first, 60, 60), arm(chance, second, 60, 60)])
            self.assertAlmostEqual(found, 18, delta=3)
        alike = conversion_window([arm(chance, 5.0, 60, 90), arm(chance, 5.0, 60, 90)])
        self.assertAlmostEqual(alike, 18, delta=3)

    def test_while_they_go_on_coming_nobody_is_old_enough(self) -> None:
        chance = np.random.default_rng(3)
        for days in (3, 5, 8):
            found = conversion_window([arm(chance, 0.0, 40, days), arm(chance, 9.0, 200, days)])
            self.assertGreaterEqual(found, days - 3)

    @given(
        st.lists(st.tuples(st.integers(0, 20), st.integers(0, 24 * 20)), max_size=60),
        st.lists(st.tuples(st.integers(0, 20), st.integers(0, 24 * 20)), max_size=60),
    )
    def test_the_longest_lag_is_enough(self, a: list[tuple[int, int]], b: list[tuple[int, int]]) -> None:
        arms = [
            (np.array([x for x, _ in of], dtype=int), np.array([y for _, y in of], dtype=int))
            for of in (a, b)
        ]
        seen = [lag for age, lag in [*a, *b] if lag // 24 < age]
        found = conversion_window(arms)
        self.assertLessEqual(found, max((lag // 24 + 1 for lag in seen), default=0))
