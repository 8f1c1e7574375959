"""Delays against histories whose delays are known."""

from __future__ import annotations

import unittest
from collections import Counter

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.delays import FEWEST, delays, to_come

TRUE = np.array([0.5, 0.2, 0.1, 0.1, 0.06, 0.04])


class Known(unittest.TestCase):
    def history(
        self, chance: np.random.Generator, per_day: float, days: int
    ) -> tuple[Counter[tuple[int, int]], int]:
        """What of a history of so many days can be seen today, by age and lag; and how many are still to come."""
        seen: Counter[tuple[int, int]] = Counter()
        coming = 0
        for age in range(days):
            for lag in chance.choice(len(TRUE), size=chance.poisson(per_day), p=TRUE):
                if lag <= age:
                    seen[age, int(lag)] += 1
                else:
                    coming += 1
        return seen, coming

    def test_the_curve_is_found_although_recent_days_are_cut_off(self) -> None:
        seen, _ = self.history(np.random.default_rng(3), 400, 40)
        found = delays(seen, 8)
        assert found
        for age, part in enumerate(np.cumsum(TRUE)):
            self.assertAlmostEqual(found.part(age), float(part), delta=0.02)
        self.assertEqual(found.part(100), 1)
        # Plain shares of what is seen would put more into the first days.
        short, _ = self.history(np.random.default_rng(3), 3000, 7)
        told = delays(short, 8)
        assert told
        self.assertAlmostEqual(told.part(0), 0.5, delta=0.02)
        self.assertGreater(sum(n for (_, lag), n in short.items() if lag == 0) / short.total(), 0.53)

    def test_what_is_to_come_lies_in_its_interval_as_often_as_it_says(self) -> None:
        chance = np.random.default_rng(11)
        inside, off = 0, []
        for _ in range(400):
            seen, coming = self.history(chance, 30, 60)
            found = delays(seen, 8)
            assert found
            by_age: Counter[int] = Counter()
            for (age, _), n in seen.items():
                by_age[age] += n
            i = to_come(found, [(age, float(by_age[age])) for age in range(60)])
            inside += i.low <= coming <= i.high
            off.append(i.estimate - coming)
        self.assertAlmostEqual(inside / 400, 0.95, delta=0.035)
        self.assertLess(abs(float(np.mean(off))), 1.5)

    @settings(max_examples=60, deadline=None)
    @given(
        st.dictionaries(
            st.integers(0, 9).flatmap(lambda a: st.tuples(st.just(a), st.integers(0, min(a, 6)))),
            st.integers(1, 50).map(float),
            max_size=12,
        )
    )
    def test_more_has_come_the_older_a_day_is(self, counts: dict[tuple[int, int], float]) -> None:
        found = delays(counts, 6)
        if sum(counts.values()) < FEWEST:
            self.assertIsNone(found)
            return
        assert found
        self.assertTrue(np.all(np.diff(found.arrived) >= -1e-12))
        self.assertEqual(found.arrived[-1], 1)
        self.assertEqual(to_come(found, [(9, 40.0)]).estimate, 0)

    def test_a_lag_is_never_longer_than_its_age(self) -> None:
        for wrong in ({(1, 2): 30.0}, {(9, 7): 30.0}, {(3, -1): 30.0}):
            with self.assertRaises(ValueError):
                delays(wrong, 6)
