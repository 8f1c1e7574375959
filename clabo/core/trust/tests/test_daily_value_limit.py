"""How much value a day may bring without a proof."""

from __future__ import annotations

import unittest
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.trust.daily_value_limit import DayLimits, Valued, beyond

values = st.lists(
    st.builds(
        Valued,
        st.integers(1, 3),
        st.sampled_from(["", "a", "b"]),
        st.integers(1, 60).map(Decimal),
        st.booleans(),
    ),
    max_size=20,
)
limit = st.none() | st.integers(1, 120).map(Decimal)


def sums(some: list[Valued]) -> dict[object, Decimal]:
    found: dict[object, Decimal] = {}
    for v in some:
        for who in (v.visitor, v.network or None, "all"):
            if who:
                found[who] = found.get(who, Decimal(0)) + v.value
    return found


class DayLimitTest(unittest.TestCase):
    @given(values, st.builds(DayLimits, limit, limit, limit))
    def test_what_is_kept_fits_and_what_is_left_out_would_not(
        self, some: list[Valued], limits: DayLimits
    ) -> None:
        out = set(beyond(some, limits))
        for place, one in enumerate(some):
            before = [v for i, v in enumerate(some[:place]) if i not in out and not v.proven]
            with_it = sums([*before, one])
            fits = (
                (limits.visitor is None or with_it[one.visitor] <= limits.visitor)
                and (limits.network is None or not one.network or with_it[one.network] <= limits.network)
                and (limits.site is None or with_it["all"] <= limits.site)
            )
            self.assertEqual(place in out, not one.proven and not fits)
        if limits.least is None or sum((v.value for v in some), Decimal(0)) <= limits.least:
            self.assertEqual(out, set())

    def test_each_limit_by_itself(self) -> None:
        some = [Valued(1, "a", Decimal(6)), Valued(1, "b", Decimal(6)), Valued(2, "a", Decimal(6))]
        self.assertEqual(beyond(some, DayLimits(visitor=Decimal(10))), [1])
        self.assertEqual(beyond(some, DayLimits(network=Decimal(10))), [2])
        self.assertEqual(beyond(some, DayLimits(site=Decimal(12))), [2])
        self.assertEqual(beyond(some, DayLimits(Decimal(12), Decimal(12), Decimal(18))), [])
        self.assertEqual(DayLimits(Decimal(3), None, Decimal(2)).least, Decimal(2))
