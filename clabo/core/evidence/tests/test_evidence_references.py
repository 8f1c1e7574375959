"""Evidence against numbers and code that nobody here wrote. Each test says where its numbers stand."""

from __future__ import annotations

import math
import warnings
from unittest import TestCase

import numpy as np
from scipy import integrate, stats
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.proportion import (
    confint_proportions_2indep,
    proportion_confint,
    proportions_ztest,
    samplesize_proportions_2indep_onetail,
)
from statsmodels.stats.weightstats import CompareMeans, DescrStatsW

from clabo.core.evidence import (
    Counts,
    Moments,
    bootstrap_mean_difference,
    chance_to_be_best,
    compare_means,
    compare_rates,
    confidence_sequence,
    detectable_lift,
    expected_loss,
    fair_comparison,
    holm,
    lost_conversions,
    plan_mean_test,
    plan_rate_test,
    proportions,
    rate_interval,
    rate_intervals,
    ratio_of_means,
    sequential_cost,
    shrink_rates,
    split_health,
)


class PublishedTables(TestCase):
    def test_single_rates_as_printed_by_newcombe(self) -> None:
        """Newcombe, Statistics in Medicine 17 (1998) 857-872, Table I, method 3 (score)."""
        printed = {
            (81, 263): (0.2553, 0.3662),
            (15, 148): (0.0624, 0.1605),
            (0, 20): (0, 0.1611),
            (1, 29): (0.0061, 0.1718),
        }
        for (x, n), limits in printed.items():
            found = rate_interval(x, n)
            self.assertEqual((round(found.low, 4), round(found.high, 4)), limits)

    def test_differences_as_printed_by_newcombe(self) -> None:
        """Newcombe, Statistics in Medicine 17 (1998) 873-890, Table II, method 10, all eight contrasts."""
        printed = {
            (56, 70, 48, 80): (0.0524, 0.3339),
            (9, 10, 3, 10): (0.1705, 0.8090),
            (6, 7, 2, 7): (0.0582, 0.8062),
            (5, 56, 0, 29): (-0.0381, 0.1926),
            (0, 10, 0, 20): (-0.1611, 0.2775),
            (0, 10, 0, 10): (-0.2775, 0.2775),
            (10, 10, 0, 20): (0.6791, 1.0),
            (10, 10, 0, 10): (0.6075, 1.0),
        }
        for (x1, n1, x0, n0), limits in printed.items():
            found = compare_rates(Counts(x0, n0), Counts(x1, n1)).difference
            self.assertEqual((round(found.low, 4), round(found.high, 4)), limits)

    def test_sample_size_as_printed_by_fleiss(self) -> None:
        """Fleiss, Levin & Paik (2003), Table A.4 and §4: 60 % against 70 %, α 0.01, power 0.95: 827.

        The table has the continuity correction, which is put on here by their formula.
        """
        exact = plan_rate_test(0.6, 0.1 / 0.6, power=0.95, level=0.99).per_arm[0]
        corrected = exact / 4 * (1 + math.sqrt(1 + 4 / (exact * 0.1))) ** 2
        self.assertAlmostEqual(corrected, 827, delta=1.5)

    def test_risk_difference_as_printed_for_the_diabetes_trial(self) -> None:
        """Rothman & Greenland, Modern Epidemiology (2nd ed. 1998), ch. 15: deaths under tolbutamide and
        placebo in two age groups; Mantel-Haenszel risk difference 0.035."""
        found = fair_comparison(
            {"under 55": (Counts(5, 120), Counts(8, 106)), "55+": (Counts(16, 85), Counts(22, 98))}
        )
        self.assertEqual(round(found.difference.estimate, 3), 0.035)
        self.assertGreater(found.heterogeneity_p, 0.9)


class OtherCode(TestCase):
    def test_wilson_as_statsmodels(self) -> None:
        n = np.array([1, 7, 50, 1000, 10**8])
        x = np.array([0, 7, 3, 31, 3 * 10**6])
        for level in (0.8, 0.95, 0.99):
            low, _, high = rate_intervals(x, n, level)
            theirs = proportion_confint(x, n, alpha=1 - level, method="wilson")
            np.testing.assert_allclose(low, theirs[0], atol=1e-9)
            np.testing.assert_allclose(high, theirs[1], atol=1e-9)

    def test_newcombe_koopman_and_score_test_as_statsmodels(self) -> None:
        for x0, n0, x1, n1 in [(30, 1000, 45, 1010), (301, 8412, 372, 8377), (12, 90, 20, 300)]:
            found = compare_rates(Counts(x0, n0), Counts(x1, n1))
            theirs = confint_proportions_2indep(x1, n1, x0, n0, method="newcomb", compare="diff")
            np.testing.assert_allclose((found.difference.low, found.difference.high), theirs, atol=1e-9)
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                theirs = confint_proportions_2indep(
                    x1, n1, x0, n0, method="score", compare="ratio", correction=False
                )
            np.testing.assert_allclose((found.ratio.low, found.ratio.high), theirs, rtol=1e-7)
            self.assertAlmostEqual(found.p_value, proportions_ztest([x0, x1], [n0, n1])[1], delta=1e-9)

    def test_boschloo_by_the_edge_as_scipy_by_the_whole_table(self) -> None:
        for x0, n0, x1, n1 in [(1, 30, 5, 25), (2, 60, 6, 60), (2, 90, 9, 95), (40, 42, 30, 38)]:
            table = [[x0, x1], [n0 - x0, n1 - x1]]
            sides = [stats.boschloo_exact(table, alternative=s, n=256).pvalue for s in ("less", "greater")]
            a, b = Counts(x0, n0), Counts(x1, n1)
            ours = 2 * min(proportions._boschloo_greater(a, b), proportions._boschloo_greater(b, a))
            self.assertAlmostEqual(ours, 2 * min(sides), delta=1e-6)
            self.assertAlmostEqual(proportions.boschloo(a, b), min(1, 2 * min(sides)), delta=1e-6)

    def test_large_exact_tests_hold_their_size(self) -> None:
        """For tables beyond SciPy: the exact chance of p <= 5 % under a common rate is at most 5 %."""
        n0, n1, rate = 900, 500, 0.004
        size = 0.0
        for x0 in range(14):
            for x1 in range(10):
                chance = stats.binom.pmf(x0, n0, rate) * stats.binom.pmf(x1, n1, rate)
                if chance > 2e-3 and proportions.boschloo(Counts(x0, n0), Counts(x1, n1)) <= 0.05:
                    size += chance
        self.assertLessEqual(size, 0.05)
        self.assertGreater(size, 0.01)

    def test_welch_as_statsmodels(self) -> None:
        rng = np.random.default_rng(3)
        a, b = rng.gamma(2, 3, 60), rng.gamma(2, 4, 45)
        found = compare_means(Moments.of(a), Moments.of(b))
        theirs = CompareMeans(DescrStatsW(b), DescrStatsW(a))
        low, high = theirs.tconfint_diff(usevar="unequal")
        _, p, df = theirs.ttest_ind(usevar="unequal")
        np.testing.assert_allclose(
            (found.difference.low, found.difference.high, found.p_value, found.degrees_of_freedom),
            (low, high, p, df),
            rtol=1e-9,
        )
        boot = bootstrap_mean_difference(a, b, resamples=2000)
        self.assertAlmostEqual(boot.low, low, delta=0.5)
        self.assertAlmostEqual(boot.high, high, delta=0.5)

    def test_holm_and_split_health_as_statsmodels_and_scipy(self) -> None:
        p = [0.04, 0.001, 0.03, 0.5]
        np.testing.assert_allclose(holm(p), multipletests(p, method="holm")[1], atol=1e-12)
        found = split_health([5100, 4900], [1, 1])
        counts, halves = [5100, 4900], [0.5, 0.5]
        mixed = [
            stats.dirichlet_multinomial.pmf(counts, [c / 2, c / 2], 10_000) for c in (30, 300, 3000, 30_000)
        ]
        one = stats.multinomial.pmf(counts, 10_000, halves)
        self.assertAlmostEqual(found.p_value, one / float(np.mean(mixed)), delta=1e-9)
        self.assertFalse(found.broken)
        self.assertTrue(split_health([5150, 4650], [50, 50]).broken)

    def test_chances_by_other_integrals(self) -> None:
        arms = [Counts(30, 1000), Counts(41, 1020), Counts(3, 80)]
        posteriors = [stats.beta(a.conversions + 0.5, a.failures + 0.5) for a in arms]
        chances, losses = chance_to_be_best(arms), expected_loss(arms)
        mean_best = integrate.quad(
            lambda x: 1 - np.prod([p.cdf(x) for p in posteriors]), 0, 1, points=[0.03, 0.1], epsabs=1e-12
        )[0]
        for i, own in enumerate(posteriors):
            others = [p for j, p in enumerate(posteriors) if j != i]
            value = integrate.quad(
                lambda x, own=own, others=others: own.pdf(x) * np.prod([p.cdf(x) for p in others]),
                0,
                0.3,
                epsabs=1e-12,
                limit=400,
            )[0]
            self.assertAlmostEqual(chances[i], value, delta=1e-8)
            self.assertAlmostEqual(losses[i], mean_best - own.mean(), delta=1e-8)

    def test_chance_at_a_hundred_million_is_the_normal_limit(self) -> None:
        a, b = Counts(10**7, 10**8), Counts(10**7 + 3000, 10**8)
        spread = math.sqrt(a.rate * (1 - a.rate) / 1e8 + b.rate * (1 - b.rate) / 1e8)
        self.assertAlmostEqual(
            chance_to_be_best([a, b])[1], stats.norm.cdf((b.rate - a.rate) / spread), delta=1e-6
        )
        self.assertAlmostEqual(math.fsum(chance_to_be_best([a, b, a])), 1, delta=1e-9)

    def test_plans_as_statsmodels_and_back(self) -> None:
        plan = plan_rate_test(0.03, 0.2)
        theirs = samplesize_proportions_2indep_onetail(0.006, 0.03, 0.8, alpha=0.05)
        self.assertAlmostEqual(plan.per_arm[0], theirs, delta=plan.per_arm[0] * 0.01)
        self.assertAlmostEqual(detectable_lift(0.03, plan.per_arm[0]), 0.2, delta=1e-4)
        self.assertGreater(sequential_cost(plan), 1.2)
        self.assertLess(sequential_cost(plan), 2.5)
        means = plan_mean_test(2.0, 14.0, 0.2)
        reach = stats.norm.ppf(0.975) + stats.norm.ppf(0.8)
        self.assertAlmostEqual(means.per_arm[0], 2 * (reach * 14 / 0.4) ** 2, delta=1)

    def test_sequence_by_its_formula(self) -> None:
        """arXiv 2103.06476: tuned to the plan, no other ρ is narrower there."""
        control, challenger = Moments.of_counts(Counts(300, 10_000)), Moments.of_counts(Counts(360, 10_000))
        widths = {
            planned: confidence_sequence(control, challenger, planned).high
            for planned in (2_000, 10_000, 20_000, 40_000, 200_000)
        }
        self.assertEqual(min(widths, key=widths.__getitem__), 20_000)

    def test_fieller_by_its_own_condition(self) -> None:
        rng = np.random.default_rng(5)
        spend = rng.normal(100, 20, 28)
        value = spend * 2 + rng.normal(0, 60, 28)
        found = ratio_of_means(value, spend)
        for edge in (found.low, found.high):
            rest = value - edge * spend
            self.assertAlmostEqual(
                abs(stats.ttest_1samp(rest, 0).statistic), stats.t.isf(0.025, 27), delta=1e-9
            )
        self.assertFalse(ratio_of_means([1, 2, 0], [5, -4, 0.1]).bounded)

    def test_shrinking_finds_the_beta_that_made_the_pages(self) -> None:
        rng = np.random.default_rng(7)
        n = rng.integers(200, 4000, 400)
        x = rng.binomial(n, rng.beta(6, 194, 400))
        counts = [Counts(int(a), int(b)) for a, b in zip(x, n, strict=True)]
        shrunk = shrink_rates(counts)
        self.assertAlmostEqual(shrunk.typical, 0.03, delta=0.002)
        self.assertAlmostEqual(shrunk.alpha + shrunk.beta, 200, delta=50)
        model = stats.betabinom(n, shrunk.alpha, shrunk.beta).logpmf(x).sum()
        for a, b in ((1.1, 1), (0.9, 1), (1, 1.1), (1, 0.9)):
            self.assertLess(stats.betabinom(n, shrunk.alpha * a, shrunk.beta * b).logpmf(x).sum(), model)
        lost = lost_conversions(
            [Counts(2, 2), Counts(0, 3000), Counts(90, 3000), Counts(95, 3000), Counts(0, 3000)],
            [False] * 4 + [True],
        )
        self.assertEqual(lost[4], 0)
        self.assertEqual(max(range(5), key=lost.__getitem__), 1)
