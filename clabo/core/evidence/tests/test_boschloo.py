"""Boschloo's exact test against the whole table, written out."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from scipy import stats

from clabo.core.evidence import Counts, compare_rates
from clabo.core.evidence.proportions import boschloo


def by_the_whole_table(a: Counts, b: Counts, rates: int = 4001) -> float:
    """Twice the smaller one-sided p-value: every table at least as extreme by Fisher's, over a fine grid of rates."""
    n0, n1 = a.trials, b.trials
    x0, x1 = np.meshgrid(np.arange(n0 + 1), np.arange(n1 + 1), indexing="ij")
    sides = []
    for mine, other, m, o in ((x1, x0, n1, b.conversions), (x0, x1, n0, a.conversions)):
        fisher = stats.hypergeom.sf(mine - 1, n0 + n1, mine + other, m)
        total = a.conversions + b.conversions
        extreme = fisher <= stats.hypergeom.sf(o - 1, n0 + n1, total, m) * (1 + 1e-9)
        best = 0.0
        for p in np.linspace(0.0005, 0.9995, rates):
            rows = stats.binom.pmf(np.arange(n0 + 1), n0, p)
            best = max(best, float(rows @ (extreme @ stats.binom.pmf(np.arange(n1 + 1), n1, p))))
        sides.append(best)
    return min(1.0, 2 * min(sides))


class Boschloo(TestCase):
    def test_small_and_large_tables(self) -> None:
        cases = [
            (Counts(1, 12), Counts(6, 14)),
            (Counts(20, 60), Counts(33, 65)),
            (Counts(40, 90), Counts(58, 80)),
            (Counts(70, 75), Counts(60, 80)),
            (Counts(2, 100), Counts(11, 95)),
            (Counts(0, 70), Counts(6, 60)),
            (Counts(88, 90), Counts(70, 85)),
        ]
        for a, b in cases:
            with self.subTest(a=a, b=b):
                expected = by_the_whole_table(a, b, 801)
                self.assertAlmostEqual(boschloo(a, b) / expected, 1, delta=2e-4)
                self.assertAlmostEqual(boschloo(b, a), boschloo(a, b), delta=1e-9)

    def test_very_large_tables_look_only_where_the_common_rate_may_lie(self) -> None:
        """Berger & Boos: within the exact interval of 1 - 1e-9, which is added; one side, column by column."""
        a, b = Counts(3, 520), Counts(14, 530)
        total = a.conversions + b.conversions
        observed = stats.hypergeom.sf(b.conversions - 1, 1050, total, b.trials)
        within = stats.binomtest(total, 1050).proportion_ci(1 - 1e-9, "exact")
        rates = np.linspace(within.low, within.high, 400)
        sums = np.zeros(400)
        for x in range(70):  # More than 69 of 520 do not happen at such rates.
            tails = stats.hypergeom.sf(np.arange(531) - 1, 1050, np.arange(531) + x, b.trials)
            edge = int(np.argmax(tails <= observed * (1 + 1e-9)))
            sums += stats.binom.pmf(x, 520, rates) * stats.binom.sf(edge - 1, 530, rates)
        self.assertAlmostEqual(boschloo(a, b) / (2 * (sums.max() + 1e-9)), 1, delta=2e-4)

    def test_nothing_to_tell_apart(self) -> None:
        self.assertEqual(boschloo(Counts(0, 9), Counts(0, 30)), 1.0)
        self.assertEqual(boschloo(Counts(9, 9), Counts(30, 30)), 1.0)

    def test_it_is_asked_where_an_expected_cell_is_under_five(self) -> None:
        # The smaller arm times the smaller of all conversions and all others: 20 · 10 / 40 is 5, 20 · 9 / 40 is not.
        self.assertEqual(compare_rates(Counts(4, 20), Counts(6, 20)).method, "score")
        self.assertEqual(compare_rates(Counts(3, 20), Counts(6, 20)).method, "boschloo")
        self.assertEqual(compare_rates(Counts(16, 20), Counts(14, 20)).method, "score")
        self.assertEqual(compare_rates(Counts(17, 20), Counts(14, 20)).method, "boschloo")
        self.assertEqual(compare_rates(Counts(6, 15), Counts(9, 30)).method, "score")
        self.assertEqual(compare_rates(Counts(5, 15), Counts(9, 30)).method, "boschloo")
