"""What stands out is said only where the evidence carries it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from clabo.core.evidence import Counts, Spread, ValueSums
from clabo.core.pages.findings import ERROR, LOOKS, Finding, LandingPage, Returned, findings, strongest


def page(x: int, n: int, orders: Sequence[float] = (), spend: int = 0, **more: object) -> LandingPage:
    sums = ValueSums.of(orders)
    returned = Returned(sums, Spread.of([sums], 50.0)) if spend else None
    fields = {"lost": 0.0, "intended_exit": False, **more}
    revenue = Decimal(str(sums.total))
    return LandingPage(Counts(x, n), revenue, Decimal(spend), returned, **fields)  # type: ignore[arg-type]


class Findings(TestCase):
    def test_money_against_break_even(self) -> None:
        """What is so far on one side that chance would hardly ever bring it; the bar is 1 / margin."""
        fifty, few, none = [50.0, 60.0, 40.0] * 20, [50.0, 60.0, 40.0, 55.0], ()
        for orders, spend, margin, kind in (
            (fifty, 1000, None, "earns"),
            (fifty, 2000, None, None),
            (fifty, 6000, None, "loses_money"),
            (fifty, 1000, "0.25", None),  # bar 4
            (fifty, 1000, "0.1", "loses_money"),  # bar 10
            (few, 400, None, None),
            # How much values differ is not known yet, and so not what one more might bring.
            (few, 2500, None, None),
            (few, 40, None, None),
            (none, 200, None, None),
            (none, 2000, None, "loses_money"),
        ):
            one = page(len(orders), 5000, orders, spend)
            found = findings([one], Decimal(margin) if margin else None).found
            self.assertEqual([f.kind for f in found], [kind] if kind else [], (len(orders), spend, margin))
            if found:
                profit = one.revenue * Decimal(margin or 1) - spend
                self.assertEqual(found[0].profit, profit)

    def test_of_many_pages_each_has_to_be_further_off(self) -> None:
        one = page(0, 500, (), 470)
        self.assertEqual([f.kind for f in findings([one]).found], ["loses_money"])
        alike = [page(20, 500) for _ in range(99)]
        self.assertEqual(findings([one, *alike]).found, [])
        self.assertEqual(findings([one], among=100).found, [])

    def test_the_strongest_of_each_kind(self) -> None:
        def made(kind: str, profit: int, lost: float) -> Finding:
            return Finding(kind, 0, Decimal(profit), lost)  # type: ignore[arg-type]

        worst, most, badly = made("loses_money", -900, 0), made("earns", 500, 0), made("converts_badly", 0, 9)
        others = [made("loses_money", -100, 50), made("earns", 20, 0), made("converts_badly", -5000, 3)]
        self.assertEqual(strongest([*others, badly, most, worst]), [worst, most, badly])

    def test_what_was_said_goes_on_until_it_no_longer_holds(self) -> None:
        pages = [page(0, 500, (), 470), *[page(20, 500) for _ in range(99)]]
        self.assertEqual(findings(pages).found, [])
        said = findings(pages, said=[("loses_money", 0)])
        self.assertEqual([(f.kind, f.place, f.said) for f in said.found], [("loses_money", 0, True)])
        self.assertEqual(said.holding, {("loses_money", 0)})
        # Of another page or another kind, or where chance might well have brought it, it changes nothing.
        self.assertEqual(findings(pages, said=[("loses_money", 1), ("earns", 0)]).found, [])
        likely = [page(0, 500, (), 100), *pages[1:]]
        self.assertEqual(findings(likely, said=[("loses_money", 0)]).found, [])
        # It gives way to what matters twice as much, and to nothing less.
        for spend, place in ((700, 0), (1000, 1)):
            both = [page(0, 500, (), 470), page(0, 500, (), spend)]
            found = findings(both, said=[("loses_money", 0)])
            self.assertEqual([f.place for f in found.found], [place])
            self.assertEqual(found.holding, {("loses_money", 0), ("loses_money", 1)})

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
        judged = [p.counts for p in pages if not p.intended_exit]
        for f in findings(pages).found:
            self.assertFalse(pages[f.place].intended_exit)
            own = pages[f.place].counts
            others = sum(judged, Counts(0, 0))
            table = [
                [own.conversions, own.failures],
                [others.conversions - own.conversions, others.failures - own.failures],
            ]
            p = stats.fisher_exact(table, alternative="less").pvalue
            self.assertLessEqual(p * len(judged) * LOOKS, ERROR * (1 + 1e-9))

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
