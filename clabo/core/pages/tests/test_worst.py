"""Losses of pages against their goal's typical page."""

from __future__ import annotations

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binom, norm

from clabo.core.evidence import Counts, lost_conversions, one_rate_size
from clabo.core.pages.worst import fallen_silent, losses

pages = st.lists(
    st.integers(0, 400).flatmap(lambda n: st.integers(0, n).map(lambda x: Counts(x, n))),
    min_size=1,
    max_size=6,
)


class Losses(unittest.TestCase):
    @settings(max_examples=60, deadline=None)
    @given(pages, st.data())
    def test_estimates_are_those_of_the_report_and_lie_within_their_limits(
        self, counts: list[Counts], data: st.DataObject
    ) -> None:
        marks = data.draw(st.lists(st.booleans(), min_size=len(counts), max_size=len(counts)))
        found = losses(counts, marks)
        expected = lost_conversions(counts, marks)
        for loss, lost, mark in zip(found, expected, marks, strict=True):
            if mark or loss is None:
                self.assertEqual(lost, 0)
                continue
            self.assertAlmostEqual(max(0.0, loss.lost.estimate), lost, places=9)
            self.assertLessEqual(loss.lost.low, loss.lost.estimate)
            self.assertLessEqual(loss.lost.estimate, loss.lost.high)
            self.assertLessEqual(loss.lost.high, loss.counts.trials * loss.typical)

    def test_a_bad_page_is_certain_and_a_small_one_is_told_what_it_lacks(self) -> None:
        counts = [Counts(5, 2000), Counts(80, 2000), Counts(90, 2000), Counts(1, 20)]
        bad, good, _, small = losses(counts, [False] * 4)
        assert bad and good and small
        self.assertTrue(bad.certain)
        self.assertFalse(good.certain)
        self.assertIsNone(bad.needed)
        self.assertFalse(small.certain)
        self.assertTrue(small.thin)
        self.assertEqual(small.needed, one_rate_size(small.typical, small.typical / 2))
        self.assertEqual(losses([Counts(0, 0)], [False]), [None])
        with self.assertRaises(ValueError):
            losses(counts, [True])

    def test_the_size_gives_the_power_that_it_promises(self) -> None:
        for typical, other in ((0.04, 0.02), (0.2, 0.1), (0.01, 0.005), (0.3, 0.45)):
            n = one_rate_size(typical, other)
            spread = (typical * (1 - typical) / n) ** 0.5
            low, high = (typical + z * spread for z in (norm.ppf(0.025), norm.ppf(0.975)))
            power = binom.cdf(low * n, n, other) + binom.sf(high * n, n, other)
            self.assertAlmostEqual(power, 0.8, delta=0.05)
        for wrong in ((0, 0.1), (0.1, 1), (0.1, 0.1)):
            with self.assertRaises(ValueError):
                one_rate_size(*wrong)

    def test_a_form_falls_silent_only_beyond_chance(self) -> None:
        self.assertTrue(fallen_silent(50, 500, 70))
        self.assertFalse(fallen_silent(50, 500, 69))
        self.assertFalse(fallen_silent(9, 9, 1000))
        self.assertFalse(fallen_silent(10, 0, 1000))
