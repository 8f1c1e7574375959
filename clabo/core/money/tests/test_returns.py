"""Money put in and got out, by hand."""

from __future__ import annotations

from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.money import returns as r


class Ratios(TestCase):
    def test_each_by_its_definition(self) -> None:
        spend, value = Decimal("120.00"), Decimal("300")
        self.assertEqual(r.click_through_rate(30, 1500), Decimal("0.02"))
        self.assertEqual(r.cost_per_click(spend, 30), 4)
        self.assertEqual(r.cost_per_mille(spend, 1500), 80)
        self.assertEqual(r.cost_per_conversion(spend, Decimal("2.5")), 48)
        self.assertEqual(r.roas(value, spend), Decimal("2.5"))
        self.assertEqual(r.order_value(value, Decimal(4)), 75)
        self.assertEqual(r.profit(value, spend, Decimal("0.5")), 30)
        self.assertEqual(r.profit(value, spend, None), 180)
        self.assertEqual(r.profit(value, spend, Decimal(0)), -120)
        self.assertEqual((r.break_even(None), r.break_even(Decimal("0.4"))), (1.0, 2.5))
        self.assertEqual(r.over_lifetime(Decimal("10"), Decimal("1.61")), Decimal("16.1"))
        self.assertEqual(r.total([Decimal("0.1"), Decimal("0.2")]), Decimal("0.3"))

    def test_something_over_nothing_and_nothing_spent_are_dashes(self) -> None:
        some, none = Decimal(5), Decimal(0)
        for dash in (
            r.ratio(some, none),
            r.ratio(none, none),
            r.click_through_rate(3, 0),
            r.cost_per_click(some, 0),
            r.cost_per_click(none, 9),
            r.cost_per_mille(some, 0),
            r.cost_per_mille(none, 9),
            r.cost_per_conversion(some, none),
            r.cost_per_conversion(none, some),
            r.roas(some, none),
            r.order_value(some, none),
            r.over_lifetime(None, some),
            r.over_lifetime(some, None),
        ):
            self.assertIsNone(dash)
        self.assertEqual(r.roas(none, some), 0)


class Apportioned(TestCase):
    @given(
        st.integers(0, 10**6), st.dictionaries(st.integers(), st.integers(0, 10**4), min_size=1, max_size=9)
    )
    def test_sums_and_stays_within_one_of_the_share(self, count: int, weights: dict[int, int]) -> None:
        whole = sum(weights.values())
        if not whole:
            with self.assertRaises(ValueError):
                r.apportion(count, weights)
            return
        parts = r.apportion(count, weights)
        self.assertEqual(sum(parts.values()), count)
        self.assertEqual(set(parts), {k for k, w in weights.items() if w})
        for key, part in parts.items():
            self.assertLess(abs(part - count * weights[key] / whole), 1)
        # A larger remainder is never passed over for a smaller one.
        rest = {k: count * weights[k] % whole for k in parts}
        up = [rest[k] for k in parts if parts[k] > count * weights[k] // whole]
        down = [rest[k] for k in parts if parts[k] == count * weights[k] // whole]
        self.assertGreaterEqual(min(up, default=whole), max(down, default=0))
