"""What stands out is said only where the evidence carries it."""

from __future__ import annotations

from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.evidence import Counts, Interval, rate_interval
from clabo.core.findings import LandingPage, findings


def page(
    x: int, n: int, revenue: int = 0, spend: int = 0, roas: tuple[float, float] | None = None, **more: object
):  # type: ignore[no-untyped-def]
    interval = Interval(roas[0], revenue / spend, roas[1]) if roas else None
    fields = {"lost": 0.0, "intended_exit": False, **more}
    return LandingPage(Counts(x, n), Decimal(revenue), Decimal(spend), interval, **fields)  # type: ignore[arg-type]


class Findings(TestCase):
    def test_money_against_break_even(self) -> None:
        pages = [
            page(40, 1000, 3000, 1000, (2.5, 3.5)),
            page(30, 1000, 1500, 1000, (1.2, 1.8)),
            page(5, 1000, 200, 900, (0.1, 0.4)),
            page(6, 1000, 240, 300, (0.5, 1.2)),
        ]
        kinds = {f.kind: f.place for f in findings(pages).found}
        self.assertEqual(kinds, {"loses_money": 2, "earns": 0})
        kinds = {f.kind: f.place for f in findings(pages, Decimal("0.5")).found}
        self.assertEqual(kinds, {"loses_money": 2, "earns": 0})
        self.assertEqual(findings(pages, Decimal("0.5")).found[1].profit, Decimal(500))

    def test_pages_that_are_meant_to_be_left_and_thin_ones(self) -> None:
        pages = [
            page(500, 5000),
            page(10, 2000, lost=120.0),
            page(0, 40, lost=3.0),
            page(0, 900, intended_exit=True),
        ]
        found = findings(pages)
        self.assertEqual([(f.kind, f.place) for f in found.found], [("converts_badly", 1)])
        self.assertEqual(found.thin, 1)
        self.assertAlmostEqual(found.together, 510 / 7040)

    @given(
        st.lists(
            st.tuples(st.integers(0, 50), st.integers(50, 5000), st.floats(0, 90), st.booleans()),
            max_size=8,
        )
    )
    def test_a_page_called_bad_lies_below_the_others_for_sure(
        self, rows: list[tuple[int, int, float, bool]]
    ) -> None:
        pages = [page(x, n, lost=lost, intended_exit=meant) for x, n, lost, meant in rows]
        found = findings(pages)
        for f in found.found:
            counts = pages[f.place].counts
            self.assertFalse(pages[f.place].intended_exit)
            self.assertLess(rate_interval(counts.conversions, counts.trials).high, found.together)
