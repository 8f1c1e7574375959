"""Several challengers, broken splits, means and usual counts: at their edges, and by other ways."""

from __future__ import annotations

import math
import random
from unittest import TestCase

import numpy as np
from scipy import stats

from clabo.core.evidence import (
    Counts,
    Moments,
    chance_to_be_best,
    compare_means,
    expected_loss,
    holm,
    split_health,
    usual_range,
)


class Holm(TestCase):
    def test_by_its_definition(self) -> None:
        """The adjusted p is the smallest level at which the step-down procedure rejects."""
        chance = random.Random(1)
        for size in (1, 2, 3, 5):
            p = [round(chance.random() ** 3, 4) for _ in range(size)]
            for place, found in enumerate(holm(p)):
                rejected = [level / 1e4 for level in range(10_001) if place in self.rejected(p, level / 1e4)]
                self.assertAlmostEqual(found, rejected[0] if rejected else 1.0, delta=2e-4)
        self.assertEqual(holm([]), [])
        for wrong in (-0.01, 1.01):
            with self.assertRaisesRegex(ValueError, "^p_values: "):
                holm([0.5, wrong])

    def test_what_could_not_be_compared_is_left_out(self) -> None:
        known = [0.04, 0.01, 0.3]
        unknown = [math.nan, *known[:2], math.nan, known[2]]
        self.assertEqual([p for p in holm(unknown) if not math.isnan(p)], holm(known))
        self.assertEqual([math.isnan(p) for p in holm(unknown)], [True, False, False, True, False])

    def rejected(self, p: list[float], level: float) -> set[int]:
        found: set[int] = set()
        for rank, place in enumerate(sorted(range(len(p)), key=p.__getitem__)):
            if p[place] > level / (len(p) - rank):
                break
            found.add(place)
        return found


class SplitHealth(TestCase):
    def test_by_the_urn_that_it_is(self) -> None:
        """Visitors drawn one by one from Pólya's urns, against a coin: the ratio of their chances of the same order."""
        for observed, shares in (([520, 480], [1, 1]), ([90, 210, 100], [25, 50, 25]), ([0, 7], [3, 1])):
            factors = []
            for balls in (30, 300, 3000, 30_000):
                urn = [balls * s / sum(shares) for s in shares]
                log_factor = 0.0
                for place, count in enumerate(observed):
                    for _ in range(count):
                        log_factor += math.log(urn[place] / sum(urn)) - math.log(shares[place] / sum(shares))
                        urn[place] += 1
                factors.append(math.exp(log_factor))
            found = split_health(observed, shares)
            self.assertAlmostEqual(found.p_value, min(1.0, len(factors) / math.fsum(factors)))
            self.assertEqual(found.broken, found.p_value < 0.001)
        self.assertTrue(split_health([600, 400], [1, 1]).broken)
        self.assertFalse(split_health([550, 450], [1, 1]).broken)

    def test_however_often_it_is_looked_at(self) -> None:
        """At a limit of a twentieth, to see it at all: of 400 tests looked at 60 times, 5 % and no more cross it."""
        chance = np.random.default_rng(4)
        crossed = 0
        for _ in range(400):
            b = np.cumsum(chance.binomial(50, 0.3, 60))
            looks = [split_health([50 * n - int(x), int(x)], [7, 3]).p_value for n, x in enumerate(b, 1)]
            crossed += min(looks) < 0.05
        self.assertLessEqual(crossed / 400, 0.05 + 0.025)
        nobody = split_health([0, 0], [1, 1])
        self.assertTrue(math.isnan(nobody.p_value))
        self.assertFalse(nobody.broken)

    def test_what_it_refuses(self) -> None:
        for observed, shares, field in (
            ([1], [1], "shares"),
            ([1, 2], [1], "shares"),
            ([1, 2], [1, 1, 1], "shares"),
            ([1, 2], [1, 0], "shares"),
            ([1, 2], [1, -1], "shares"),
            ([1, -1], [1, 1], "observed"),
        ):
            with self.assertRaisesRegex(ValueError, f"^{field}: "):
                split_health(observed, shares)


class Means(TestCase):
    def test_against_scipy(self) -> None:
        chance = np.random.default_rng(4)
        for n0, n1 in ((2, 2), (2, 9), (40, 25)):
            a, b = chance.gamma(1.0, 30.0, n0), chance.gamma(1.5, 30.0, n1)
            found = compare_means(Moments.of(a.tolist()), Moments.of(b.tolist()), 0.9)
            scipys = stats.ttest_ind(b, a, equal_var=False)
            limits = scipys.confidence_interval(0.9)
            self.assertAlmostEqual(found.p_value, float(scipys.pvalue))
            self.assertAlmostEqual(found.degrees_of_freedom, float(scipys.df))
            self.assertAlmostEqual(found.difference.low, float(limits.low))
            self.assertAlmostEqual(found.difference.high, float(limits.high))
            self.assertAlmostEqual(found.difference.estimate, float(b.mean() - a.mean()))

    def test_where_nothing_varies_and_where_there_is_too_little(self) -> None:
        same, more = Moments.of([3.0, 3.0]), Moments.of([5.0, 5.0, 5.0])
        # Orders of 59 alike: that says nothing of how far the next may lie from them.
        for other in (same, more):
            self.assertTrue(math.isnan(compare_means(same, other).p_value))
            self.assertFalse(compare_means(same, other).difference.known)
        half = compare_means(same, Moments.of([4.0, 6.0, 8.0]))
        scipys = stats.ttest_ind([4.0, 6.0, 8.0], [3.0, 3.0], equal_var=False)
        self.assertAlmostEqual(half.p_value, float(scipys.pvalue))
        for a, b in ((Moments.of([1.0]), more), (more, Moments.of([1.0]))):
            self.assertTrue(math.isnan(compare_means(a, b).p_value))


class Usual(TestCase):
    def test_by_its_formula_step_by_step(self) -> None:
        for counts in (
            [5, 9, 2, 7],
            [100, 96, 110, 93, 104, 99, 107, 95],
            [0, 0, 0, 0, 0],
            [3, 90, 14, 40, 7],
        ):
            roots = [2 * (x + 3 / 8) ** 0.5 for x in counts]
            spread = max(0.1, float(np.var(roots, ddof=1)))
            reach = float(stats.t.ppf(0.975, len(counts) - 1)) * (spread * (1 + 1 / len(counts))) ** 0.5
            middle = float(np.mean(roots))
            low, high = (max(0.0, max(0.0, r) ** 2 / 4 - 3 / 8) for r in (middle - reach, middle + reach))
            found = usual_range(counts)
            self.assertEqual((found.low, found.high), (math.ceil(low), max(math.floor(high), 1)))
            self.assertAlmostEqual(found.estimate, float(np.mean(counts)))

    def test_three_days_are_too_few(self) -> None:
        self.assertFalse(usual_range([1, 2, 3]).known)
        self.assertTrue(usual_range([1, 2, 3, 4]).known)
        with self.assertRaises(ValueError):
            usual_range([1, 2, 3, -1])


class FromSums(TestCase):
    def test_every_way_to_the_moments_agrees_with_numpy(self) -> None:
        chance = np.random.default_rng(5)
        for size in (0, 1, 2, 3, 40):
            values = np.where(chance.random(size) < 0.6, 0.0, chance.gamma(2.0, 20.0, size))
            mean = float(values.mean()) if size else 0.0
            variance = float(values.var(ddof=1)) if size > 1 else 0.0
            sums = Moments.of_sums(size, float(values.sum()), float((values**2).sum()))
            halves = Moments.of(values[: size // 3].tolist()) + Moments.of(values[size // 3 :].tolist())
            for found in (Moments.of(values.tolist()), sums, halves):
                self.assertEqual(found.n, size)
                self.assertAlmostEqual(found.mean, mean, places=9)
                self.assertAlmostEqual(found.variance, variance, places=7)
        for n, converted in ((0, 0), (1, 1), (2, 1), (30, 11)):
            found = Moments.of_counts(Counts(converted, n))
            expected = Moments.of([1.0] * converted + [0.0] * (n - converted))
            self.assertEqual(found.n, n)
            self.assertAlmostEqual(found.mean, expected.mean)
            self.assertAlmostEqual(found.variance, expected.variance)

    def test_what_no_values_can_have(self) -> None:
        for field, wrong in (("n", (-1, 0.0, 0.0)), ("n", (1.5, 0.0, 0.0)), ("variance", (2, 0.0, -1.0))):
            with self.assertRaisesRegex(ValueError, f"^{field}"):
                Moments(*wrong)  # type: ignore[arg-type]
        self.assertEqual(Moments.of_sums(-1, 0.0, 0.0), Moments(0, 0.0, 0.0))


class Posteriors(TestCase):
    def test_chance_and_loss_by_a_plain_sum_over_a_grid(self) -> None:
        """A fine grid of rates in place of quadrature; the prior's two halves and unequal ones."""
        grid = (np.arange(200_000) + 0.5) / 200_000
        for arms, prior in (
            ([Counts(0, 3), Counts(2, 5)], (0.5, 0.5)),
            ([Counts(12, 90), Counts(20, 95), Counts(9, 40)], (0.5, 0.5)),
            ([Counts(1, 2), Counts(3, 9)], (2.0, 3.0)),
        ):
            posteriors = [stats.beta(prior[0] + a.conversions, prior[1] + a.failures) for a in arms]
            below = [p.cdf(grid) for p in posteriors]
            best = np.prod(below, axis=0)
            for place, own in enumerate(posteriors):
                others = np.prod([b for i, b in enumerate(below) if i != place], axis=0)
                mass = np.diff(own.cdf(np.arange(200_001) / 200_000))
                self.assertAlmostEqual(chance_to_be_best(arms, prior)[place], float(mass @ others), places=4)
                loss = float(np.mean(below[place] - best))
                self.assertAlmostEqual(expected_loss(arms, prior)[place], loss, places=5)

    def test_what_it_refuses(self) -> None:
        for arms in ([], [Counts(1, 2)] * 11):
            with self.assertRaisesRegex(ValueError, "^arms: "):
                chance_to_be_best(arms)
        self.assertEqual(len(chance_to_be_best([Counts(1, 2)] * 10)), 10)
        for prior in ((0.0, 1.0), (1.0, -1.0)):
            with self.assertRaisesRegex(ValueError, "^prior: "):
                expected_loss([Counts(1, 2)], prior)

    def test_the_usual_range_holds_as_many_as_it_says(self) -> None:
        """Days alike, and days that vary three times as much as chance."""
        chance = np.random.default_rng(6)
        for n, mean, vary in ((8, 100, 1.0), (8, 10, 1.0), (8, 100, 3.0), (4, 30, 1.0)):
            held = 0
            for _ in range(1500):
                means = (
                    np.full(n + 1, mean) if vary == 1 else chance.gamma(mean / (vary - 1), vary - 1, n + 1)
                )
                *like, today = chance.poisson(means).tolist()
                found = usual_range(like)
                held += found.low <= today <= found.high
            self.assertLess(abs(held / 1500 - 0.95), 0.02, (n, mean, vary))
