"""What must hold of the evidence whatever the data."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import stats

from clabo.core.evidence import (
    NO_VALUES,
    Counts,
    Interval,
    Moments,
    SplitHealth,
    Spread,
    TestState,
    ValueSums,
    chance_to_be_best,
    compare_means,
    compare_rates,
    confidence_sequence,
    expected_loss,
    fair_comparison,
    plan_rate_test,
    rate_interval,
    ratio_of_means,
    return_interval,
    usual_range,
    verdict,
)
from clabo.core.evidence.ratios import poisson_limits


@st.composite
def counts(draw: st.DrawFn, least: int = 1, most: int = 5000) -> Counts:
    n = draw(st.integers(least, most))
    return Counts(draw(st.integers(0, n)), n)


values = st.lists(st.floats(-1e4, 1e4, allow_nan=False), min_size=2, max_size=40)


class Rates(TestCase):
    @given(counts())
    def test_contains_the_estimate_and_stays_a_rate(self, c: Counts) -> None:
        i = rate_interval(c.conversions, c.trials)
        self.assertTrue(0 <= i.low <= i.estimate <= i.high <= 1)
        other = rate_interval(c.failures, c.trials)
        self.assertAlmostEqual(i.low, 1 - other.high, delta=1e-12)

    @given(counts(), st.integers(2, 9))
    def test_narrows_with_more_of_the_same(self, c: Counts, times: int) -> None:
        few, many = (
            rate_interval(c.conversions, c.trials),
            rate_interval(c.conversions * times, c.trials * times),
        )
        self.assertLess(many.high - many.low, few.high - few.low)

    @settings(max_examples=60, deadline=None)
    @given(counts(most=400), counts(most=400))
    def test_swapping_arms_mirrors_everything(self, a: Counts, b: Counts) -> None:
        there, back = compare_rates(a, b), compare_rates(b, a)
        self.assertAlmostEqual(there.difference.low, -back.difference.high, delta=1e-12)
        self.assertAlmostEqual(there.p_value, back.p_value, delta=1e-6)
        self.assertTrue(0 <= there.p_value <= 1)
        if a.conversions and b.conversions:
            self.assertAlmostEqual(there.ratio.low * back.ratio.high, 1, delta=1e-6)
            self.assertTrue(there.ratio.low <= there.ratio.estimate <= there.ratio.high)

    def test_impossible_input_names_the_argument_and_no_data_is_nan(self) -> None:
        with self.assertRaisesRegex(ValueError, "conversions"):
            rate_interval(5, 4)
        with self.assertRaisesRegex(ValueError, "level"):
            rate_interval(1, 4, level=95)
        with self.assertRaisesRegex(ValueError, "smallest_lift"):
            plan_rate_test(0.6, 0.9)
        self.assertFalse(rate_interval(0, 0).known)
        self.assertTrue(math.isnan(compare_rates(Counts(0, 0), Counts(1, 2)).p_value))


class Means(TestCase):
    @given(st.lists(values, min_size=2, max_size=4))
    def test_merged_moments_are_those_of_the_whole(self, parts: list[list[float]]) -> None:
        merged = Moments(0, 0.0, 0.0)
        for part in parts:
            merged += Moments.of(part)
        whole = Moments.of([v for part in parts for v in part])
        self.assertEqual(merged.n, whole.n)
        self.assertTrue(math.isclose(merged.mean, whole.mean, rel_tol=1e-9, abs_tol=1e-9))
        self.assertTrue(math.isclose(merged.variance, whole.variance, rel_tol=1e-9, abs_tol=1e-6))

    @given(values, values)
    def test_swapping_arms(self, a: list[float], b: list[float]) -> None:
        there, back = compare_means(Moments.of(a), Moments.of(b)), compare_means(Moments.of(b), Moments.of(a))
        self.assertEqual(there.difference.known, back.difference.known)
        if there.difference.known:
            self.assertAlmostEqual(there.difference.low, -back.difference.high, delta=1e-6)

    @given(st.lists(st.tuples(st.floats(0, 1e4), st.floats(1, 1e4)), min_size=3, max_size=40))
    def test_ratio_lies_in_its_interval(self, days: list[tuple[float, float]]) -> None:
        i = ratio_of_means([d[0] for d in days], [d[1] for d in days])
        assume(i.bounded)
        self.assertLessEqual(i.low, i.estimate + 1e-9)
        self.assertGreaterEqual(i.high, i.estimate - 1e-9)


class Returns(TestCase):
    @given(
        st.lists(st.floats(1, 5000).map(lambda x: round(x, 2)), min_size=2, max_size=60),
        st.floats(0.5, 1e5),
        st.sampled_from([0.8, 0.95, 0.99]),
    )
    def test_is_no_surer_than_the_number_of_conversions(
        self, values: list[float], cost: float, level: float
    ) -> None:
        sums = ValueSums.of(values)
        found = return_interval(sums, cost, Spread.of([sums], 50.0), level)
        self.assertTrue(0 <= found.low <= found.estimate * (1 + 1e-9) <= found.high * (1 + 2e-9))
        self.assertAlmostEqual(found.estimate, sum(values) / cost, delta=1e-9 * sum(values))
        each = sum(values) / len(values) / cost
        low, high = poisson_limits(len(values), level)
        self.assertLessEqual(found.low, low * each * (1 + 1e-9))
        self.assertGreaterEqual(found.high, high * each * (1 - 1e-9))
        wider = return_interval(sums, cost, Spread.of([sums], 50.0), (1 + level) / 2)
        self.assertTrue(wider.low <= found.low and found.high <= wider.high)

    def test_no_conversion_yet_is_no_proof_of_a_loss(self) -> None:
        found = return_interval(NO_VALUES, 30.0, Spread.of([], 59.0, fixed=True))
        self.assertEqual((found.low, found.estimate), (0, 0))
        self.assertAlmostEqual(found.high, stats.chi2.ppf(0.975, 2) / 2 * 59 / 30)
        # Garwood's table: 5 seen, 1.62 to 11.67 expected.
        low, high = poisson_limits(5)
        self.assertEqual((round(low, 2), round(high, 2)), (1.62, 11.67))
        with self.assertRaises(ValueError):
            return_interval(NO_VALUES, 0.0, Spread.of([], 59.0))


class Usual(TestCase):
    @given(st.lists(st.integers(0, 100_000), min_size=4, max_size=12))
    def test_holds_what_it_is_made_of_in_any_order(self, days: list[int]) -> None:
        usual = usual_range(days)
        self.assertTrue(0 <= usual.low <= usual.estimate <= usual.high)
        self.assertEqual(usual, usual_range(sorted(days)))
        wider = usual_range(days, level=0.99)
        self.assertTrue(wider.low <= usual.low and usual.high <= wider.high)

    def test_the_next_day_falls_in_it_as_often_as_it_says(self) -> None:
        random = np.random.default_rng(7)
        for mean, varies in ((0.5, 0.0), (6, 0.3), (60, 0.0), (60, 0.3), (3000, 0.1)):
            rates = mean * (
                random.gamma(1 / varies**2, varies**2, (2000, 9)) if varies else np.ones((2000, 9))
            )
            inside = 0
            for *before, day in random.poisson(rates).tolist():
                usual = usual_range(before)
                inside += usual.low <= day <= usual.high
            # 95 % or more: at counts this small or even, whole numbers and the floor of a Poisson widen it.
            self.assertGreater(inside / 2000, 0.935, (mean, varies))

    def test_too_few_days_say_nothing(self) -> None:
        self.assertFalse(usual_range([5, 5, 5]).known)
        with self.assertRaises(ValueError):
            usual_range([1, 2, 3, -1])


class Sequences(TestCase):
    @given(counts(20, 100_000), counts(20, 100_000), st.integers(100, 10**6))
    def test_wider_than_any_single_look_and_mirrored(self, a: Counts, b: Counts, planned: int) -> None:
        sequence = confidence_sequence(Moments.of_counts(a), Moments.of_counts(b), planned)
        thin = min(a.conversions, a.failures, b.conversions, b.failures) < 5
        self.assertEqual(sequence.known, not thin)
        if not thin:
            single = compare_means(Moments.of_counts(a), Moments.of_counts(b)).difference
            self.assertLess(sequence.low, single.estimate - (single.high - single.estimate) * 0.99)
            back = confidence_sequence(Moments.of_counts(b), Moments.of_counts(a), planned)
            self.assertAlmostEqual(sequence.low, -back.high, delta=1e-12)


class Bayes(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(st.lists(counts(0, 10**6), min_size=2, max_size=5))
    def test_chances_sum_to_one_and_the_best_loses_least(self, arms: list[Counts]) -> None:
        chances, losses = chance_to_be_best(arms), expected_loss(arms)
        self.assertAlmostEqual(math.fsum(chances), 1, delta=1e-7)
        self.assertTrue(all(loss >= -1e-12 for loss in losses))
        for chance, mirrored in zip(chances, reversed(chance_to_be_best(arms[::-1])), strict=True):
            self.assertAlmostEqual(chance, mirrored, delta=1e-9)


class Mix(TestCase):
    @given(
        st.dictionaries(st.integers(0, 20), st.tuples(counts(0, 300), counts(0, 300)), min_size=1, max_size=6)
    )
    def test_order_of_strata_does_not_matter(self, strata: dict[int, tuple[Counts, Counts]]) -> None:
        there = fair_comparison(strata)
        back = fair_comparison(dict(reversed(strata.items())))
        self.assertEqual(there.difference, back.difference) if there.difference.known else None
        self.assertEqual(set(there.left_out), set(back.left_out))

    def test_says_when_the_mix_made_the_difference(self) -> None:
        found = fair_comparison(
            {
                "phone": (Counts(10, 1000), Counts(2, 100)),
                "desktop": (Counts(10, 100), Counts(120, 1000)),
                "only here": (Counts(1, 5), Counts(0, 0)),
            }
        )
        self.assertEqual(found.left_out, ["only here"])
        flipped = fair_comparison(
            {"phone": (Counts(2, 100), Counts(15, 1000)), "desktop": (Counts(100, 1000), Counts(9, 100))}
        )
        self.assertFalse(flipped.reversed)
        paradox = fair_comparison(
            {"phone": (Counts(30, 1000), Counts(4, 100)), "desktop": (Counts(20, 100), Counts(210, 1000))}
        )
        self.assertGreater(paradox.raw.estimate, paradox.difference.estimate * 3)
        reverse = fair_comparison(
            {"phone": (Counts(4, 100), Counts(30, 1000)), "desktop": (Counts(19, 1000), Counts(1, 100))}
        )
        self.assertTrue(reverse.reversed)


class Verdicts(TestCase):
    def state(self, *sequences: Interval, p: float = 0.5, visitors: int = 1000) -> TestState:
        return TestState(
            sequences, 0.005, [visitors] * (len(sequences) + 1), SplitHealth(p, p < 0.001), 10_000, 500
        )

    def test_each_kind(self) -> None:
        up, down, flat, wide = (
            Interval(0.001, 0.01, 0.02),
            Interval(-0.02, -0.01, -0.001),
            Interval(-0.004, 0, 0.004),
            Interval(-0.02, 0, 0.02),
        )
        no_gain = Interval(-0.02, -0.008, 0.002)
        kinds = {
            "adopt": self.state(down, up),
            "keep_control": self.state(down, no_gain),
            "no_difference": self.state(flat),
            "too_early": self.state(wide, flat),
            "broken_split": self.state(up, p=1e-5),
            "no_data": self.state(wide, visitors=0),
        }
        for kind, state in kinds.items():
            self.assertEqual(verdict(state).kind, kind)
        self.assertEqual(verdict(kinds["adopt"]).params["challenger"], 1)
        self.assertEqual(verdict(kinds["too_early"]).params["days_left"], 14)
        self.assertTrue(verdict(self.state(wide, visitors=9000)).params["overdue"])


class StartUp(TestCase):
    def test_no_range_before_there_is_enough_of_both_kinds(self) -> None:
        """Rates from 5 with and without a conversion in each arm; values, with heavier tails, from 30."""
        for few, enough in ((4, 5), (96, 95)):
            arms = [Moments.of_counts(Counts(x, 100)) for x in (few, enough)]
            self.assertFalse(confidence_sequence(arms[0], arms[1], 1000).known)
            self.assertTrue(confidence_sequence(arms[1], arms[1], 1000).known)
        values = Moments.of([59.0] * 29 + [0.0] * 71)
        self.assertFalse(confidence_sequence(values, values, 1000, converted=(29, 30)).known)
        self.assertTrue(confidence_sequence(values, values, 1000, converted=(30, 30)).known)
