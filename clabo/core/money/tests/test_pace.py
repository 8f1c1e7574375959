"""A month's budget: sums by hand, what is said at once and what too early, and ranges held to simulated months."""

from __future__ import annotations

from datetime import date, timedelta
from unittest import TestCase

import numpy as np

from clabo.core.money.pace import Pace, month_end, pace

RHYTHM = np.array([1.0, 1.1, 1.2, 1.1, 1.0, 0.6, 0.5])


def days_until(through: date, days: int) -> list[date]:
    return [through - timedelta(days=n) for n in range(days - 1, -1, -1)]


class Sums(TestCase):
    def test_the_month_alone_is_summed_and_the_day_it_is_passed_is_found(self) -> None:
        through = date(2026, 11, 12)
        costs = [100.0] * 30 + [float(n) for n in range(1, 13)]
        found = pace(costs, through, 60.0)
        self.assertEqual((found.spent, found.standing, found.sure_over), (78.0, "over", 1.0))
        # 1 + 2 + … + 11 = 66 is the first above 60.
        self.assertEqual(found.over_on, date(2026, 11, 11))

    def test_too_early_to_say_and_the_end_of_a_month(self) -> None:
        found = pace([0.0] * 40 + [5.0] * 9, date(2026, 11, 9), 500.0)
        self.assertEqual((found.spent, found.expected, found.standing), (45.0, None, "too_early"))
        over = pace([5.0] * 9, date(2026, 11, 9), 40.0)
        self.assertEqual((over.standing, over.over_on), ("over", date(2026, 11, 9)))
        # Once all its days are known nothing is uncertain.
        for budget, standing in ((299.0, "over"), (310.0, "on_pace"), (400.0, "short")):
            ended = pace([10.0] * 60, date(2026, 11, 30), budget)
            assert ended.expected
            self.assertEqual(
                (ended.expected.low, ended.expected.high, ended.standing), (300.0, 300.0, standing)
            )
        # A month that has not begun, as far as is known.
        begun = pace([10.0] * 60, date(2026, 11, 30), 400.0, date(2026, 12, 2))
        assert begun.expected
        self.assertEqual((begun.spent, begun.standing), (0.0, "short"))
        self.assertAlmostEqual(begun.expected.estimate, 310, delta=1)
        with self.assertRaises(ValueError):
            pace([1.0] * 60, date(2026, 11, 30), 0.0)

    def test_a_weekend_that_is_to_come_is_cheap(self) -> None:
        # Friday; two days are left, both of a weekend on which nothing is ever spent.
        through = date(2026, 10, 30) - timedelta(days=1)
        costs = [0.0 if d.weekday() >= 5 else 20.0 for d in days_until(through, 84)]
        found = pace(costs, through, 1000.0)
        assert found.expected
        self.assertAlmostEqual(found.expected.estimate - found.spent, 20.0, delta=4)


class Ranges(TestCase):
    def test_nine_of_ten_months_end_within_and_few_are_said_wrongly(self) -> None:
        chance = np.random.default_rng(20261202)
        inside = wrongly = said = 0
        months = 300
        for _ in range(months):
            through = date(2026, 1, 1) + timedelta(days=int(chance.integers(90, 330)))
            end = month_end(through)
            ahead = (end - through).days
            whole = days_until(end, 70 + ahead)
            level = 100 * np.exp(np.cumsum(chance.normal(0, 0.02, len(whole))))
            costs = level * RHYTHM[[d.weekday() for d in whole]] * chance.gamma(20, 1 / 20, len(whole))
            found: Pace = pace(list(costs[: len(costs) - ahead]), through, float(costs[-end.day :].sum()))
            assert found.expected
            inside += found.expected.low <= costs[-end.day :].sum() <= found.expected.high
            # The budget is what the month came to: it is neither over nor short.
            said += 1
            wrongly += found.standing != "on_pace"
        self.assertTrue(0.85 <= inside / months <= 0.97, inside)
        self.assertLessEqual(wrongly / said, 0.06)
