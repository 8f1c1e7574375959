"""What stands out is said only where the evidence carries it."""

from __future__ import annotations

import math
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.evidence import Counts, Interval, rate_interval
from clabo.core.findings import Finding, LandingPage, findings, strongest


def page(
    x: int, n: int, revenue: int = 0, spend: int = 0, roas: tuple[float, float] | None = None, **more: object
):  # type: ignore[no-untyped-def]
    interval = Interval(roas[0], revenue / spend, roas[1]) if roas else None
    fields = {"lost": 0.0, "intended_exit": False, **more}
    return LandingPage(Counts(x, n), Decimal(revenue), Decimal(spend), interval, **fields)  # type: ignore[arg-type]


class Findings(TestCase):
    def test_money_against_break_even(self) -> None:
        """A page loses where all of its range lies below the bar, earns where all lies above it; the bar is 1 / margin."""
        losing, earning = (0.1, 0.4), (2.5, 3.5)
        above_one, about_one, just_under_two = (1.2, 1.8), (0.5, 1.2), (1.5, 1.99)
        pages = [
            page(40, 1000, 3000, 1000, earning),
            page(30, 1000, 1500, 1000, above_one),
            page(5, 1000, 200, 900, losing),
            page(6, 1000, 240, 300, about_one),
        ]
        kinds = {f.kind: f.place for f in findings(pages).found}
        self.assertEqual(kinds, {"loses_money": 2, "earns": 0})
        for roas, margin, kind in (
            (above_one, None, "earns"),
            (above_one, "0.9", "earns"),  # bar 1.11
            (above_one, "0.75", None),  # bar 1.33 lies within
            (above_one, "0.5", "loses_money"),  # bar 2
            (just_under_two, "0.5", "loses_money"),
            (just_under_two, "0.55", None),  # bar 1.82, under the estimate
            (just_under_two, "0.7", "earns"),  # bar 1.43
            (about_one, None, None),
            (earning, "0.33", None),  # bar 3.03
            (earning, "0.25", "loses_money"),  # bar 4
        ):
            one = LandingPage(
                Counts(30, 1000),
                Decimal(1900),
                Decimal(1000),
                Interval(roas[0], sum(roas) / 2, roas[1]),
                0.0,
                False,
            )
            found = findings([one], Decimal(margin) if margin else None).found
            self.assertEqual([f.kind for f in found], [kind] if kind else [], (roas, margin))
            if found:
                self.assertEqual(found[0].profit, Decimal(1900) * Decimal(margin or 1) - 1000)

    def test_the_strongest_of_each_kind(self) -> None:
        def made(kind: str, profit: int, lost: float) -> Finding:
            return Finding(kind, 0, Decimal(profit), lost)  # type: ignore[arg-type]

        worst, most, badly = made("loses_money", -900, 0), made("earns", 500, 0), made("converts_badly", 0, 9)
        others = [made("loses_money", -100, 50), made("earns", 20, 0), made("converts_badly", -5000, 3)]
        self.assertEqual(strongest([*others, badly, most, worst]), [worst, most, badly])

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

    def test_the_nearest_to_being_judged(self) -> None:
        """Pages 1 and 2 are thin: the one lacks 2 conversions, the other 4, at 40 of 1,000 all told."""
        pages = [page(36, 880), page(3, 80), page(1, 40), page(0, 30, intended_exit=True)]
        found = findings(pages)
        assert found.nearest
        self.assertEqual((found.thin, found.nearest.place, found.nearest.visits), (2, 1, 50))
        self.assertIsNone(findings([page(0, 500), page(0, 20)]).nearest)
        # Nearly all convert: what is rare is that somebody does not.
        nearest = findings([page(450, 500), page(40, 41)]).nearest
        self.assertEqual(nearest and nearest.visits, math.ceil(4 / (1 - 490 / 541)))
