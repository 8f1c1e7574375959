"""How long a test must run: refusals at their edges, and figures found again by plain search."""

from __future__ import annotations

import math
from unittest import TestCase

from scipy import stats

from clabo.core.evidence import days_needed, detectable_lift, plan_mean_test, plan_rate_test, sequential_cost
from clabo.core.evidence.experiments.sequential import half_width


class Refusals(TestCase):
    def test_each_field_at_its_edges(self) -> None:
        refused = [
            (lambda: plan_rate_test(0.0, 0.2), "baseline"),
            (lambda: plan_rate_test(-0.1, 0.2), "baseline"),
            (lambda: plan_rate_test(1.0, 0.2), "baseline"),
            (lambda: plan_rate_test(0.5, 0.0), "smallest_lift"),
            (lambda: plan_rate_test(0.5, 1.0), "smallest_lift"),
            (lambda: plan_rate_test(0.5, -1.0), "smallest_lift"),
            (lambda: plan_rate_test(0.5, 0.2, power=0.0), "power"),
            (lambda: plan_rate_test(0.5, 0.2, power=-0.5), "power"),
            (lambda: plan_rate_test(0.5, 0.2, power=1.0), "power"),
            (lambda: plan_rate_test(0.5, 0.2, arms=1), "arms"),
            (lambda: plan_rate_test(0.5, 0.2, shares=[1.0]), "shares"),
            (lambda: plan_rate_test(0.5, 0.2, shares=[1.0, 1.0, 1.0]), "shares"),
            (lambda: plan_rate_test(0.5, 0.2, shares=[1.0, 0.0]), "shares"),
            (lambda: plan_mean_test(0.0, 1.0, 0.1), "mean"),
            (lambda: plan_mean_test(1.0, 0.0, 0.1), "deviation"),
            (lambda: plan_mean_test(1.0, 1.0, 0.0), "smallest_lift"),
            (lambda: detectable_lift(0.0, 100), "baseline"),
            (lambda: detectable_lift(-0.1, 100), "baseline"),
            (lambda: detectable_lift(1.0, 100), "baseline"),
            (lambda: detectable_lift(0.1, 1), "per_arm"),
        ]
        for number, (what, field) in enumerate(refused):
            with self.subTest(number), self.assertRaisesRegex(ValueError, f"^{field}: "):
                what()
        with self.assertRaisesRegex(ValueError, "^visitors_per_day: "):
            days_needed(plan_rate_test(0.5, 0.2), 0)

    def test_what_lies_just_inside_is_planned(self) -> None:
        self.assertGreater(plan_rate_test(0.0001, 0.2).total, 1000)
        self.assertGreater(plan_rate_test(0.5, 0.2, power=0.01).total, 0)
        self.assertGreater(detectable_lift(0.0001, 2), 0)


class Figures(TestCase):
    def test_rate_test_by_the_formula_of_the_book(self) -> None:
        """Fleiss, Levin & Paik (2003), with a challenger of twice the control's size."""
        p0, p1, k, za, zb = 0.1, 0.13, 2.0, float(stats.norm.isf(0.025)), float(stats.norm.isf(0.1))
        pooled = (p0 + k * p1) / (k + 1)
        root = za * math.sqrt((k + 1) / k * pooled * (1 - pooled)) + zb * math.sqrt(
            p0 * (1 - p0) + p1 * (1 - p1) / k
        )
        size = root**2 / (p1 - p0) ** 2
        plan = plan_rate_test(0.1, 0.3, power=0.9, shares=[1, 2])
        self.assertEqual(plan.per_arm, [math.ceil(size), math.ceil(2 * size)])
        self.assertEqual(plan.total, sum(plan.per_arm))
        self.assertAlmostEqual(plan.difference, 0.03)
        self.assertAlmostEqual(plan.variances[0], 0.09)
        self.assertAlmostEqual(plan.variances[1], 0.1131)
        self.assertEqual((plan.power, plan.level), (0.9, 0.95))

    def test_the_smallest_challenger_decides(self) -> None:
        three = plan_rate_test(0.1, 0.3, arms=3, shares=[50, 30, 20])
        two = plan_rate_test(0.1, 0.3, shares=[50, 20])
        self.assertEqual((three.per_arm[0], three.per_arm[2]), tuple(two.per_arm))
        self.assertLessEqual(abs(three.per_arm[1] - 1.5 * three.per_arm[2]), 1.5)

    def test_mean_test_by_the_normal_formula(self) -> None:
        plan = plan_mean_test(4.0, 9.0, 0.25, shares=[1, 3])
        za, zb = float(stats.norm.isf(0.025)), float(stats.norm.isf(0.2))
        size = (za + zb) ** 2 * 81 * (1 + 1 / 3) / 1.0
        self.assertEqual(plan.per_arm, [math.ceil(size), math.ceil(3 * size)])
        self.assertEqual(plan.variances, (81.0, 81.0))
        self.assertAlmostEqual(plan.difference, 1.0)

    def test_days_are_whole_weeks(self) -> None:
        plan = plan_rate_test(0.5, 0.2)
        for per_day in (1, 7, 13, 29.5, plan.total / 7, plan.total / 14, plan.total * 3):
            weeks = 1
            while weeks * 7 * per_day < plan.total * (1 - 1e-9):
                weeks += 1
            self.assertEqual(days_needed(plan, per_day), 7 * weeks, per_day)

    def test_what_can_be_found_is_what_is_planned(self) -> None:
        for baseline, per_arm in ((0.03, 5000), (0.2, 300), (0.6, 80), (0.6, 2)):
            lift = detectable_lift(baseline, per_arm)
            if math.isinf(lift):
                self.assertLess(per_arm, 3)
                continue
            self.assertLessEqual(abs(plan_rate_test(baseline, lift).per_arm[0] - per_arm), 1)
            self.assertGreater(plan_rate_test(baseline, lift * 0.98).per_arm[0], per_arm)

    def test_what_looking_every_day_costs_by_plain_search(self) -> None:
        for plan in (plan_rate_test(0.04, 0.2), plan_rate_test(0.3, 0.1, power=0.9, shares=[3, 1])):
            shares = [n / plan.total for n in plan.per_arm]
            variance = sum(v / s for v, s in zip(plan.variances, shares, strict=True))
            zb = float(stats.norm.ppf(plan.power))
            n = plan.total // 2
            while half_width(n, variance, plan.total, plan.level) + zb * math.sqrt(variance / n) > abs(
                plan.difference
            ):
                n += 1
            self.assertAlmostEqual(sequential_cost(plan), n / plan.total, delta=2e-4)
            self.assertGreater(sequential_cost(plan), 1.0)
