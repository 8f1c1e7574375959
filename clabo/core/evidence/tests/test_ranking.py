"""Shrunk rates rest on the maximum of the likelihood, to its last digits."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import optimize, stats

from clabo.core.evidence import Counts, lost_conversions, rate_interval, shrink_rates, usual_range

pages = st.lists(
    st.integers(1, 3000).flatmap(lambda n: st.tuples(st.integers(0, max(1, n // 5)), st.just(n))),
    min_size=3,
    max_size=12,
).map(lambda rows: [Counts(min(x, n), n) for x, n in rows])


def likelihood(point: np.ndarray, counts: list[Counts]) -> float:
    """Minus the log-likelihood, by SciPy's own beta-binomial."""
    mean, precision = 1 / (1 + np.exp(-point[0])), np.exp(point[1])
    a, b = mean * precision, (1 - mean) * precision
    return -float(sum(stats.betabinom.logpmf(c.conversions, c.trials, a, b) for c in counts))


class Shrinking(TestCase):
    @given(pages, st.randoms(use_true_random=False))
    def test_the_order_of_pages_changes_nothing_to_the_last_digit(self, counts: list[Counts], chance) -> None:  # type: ignore[no-untyped-def]
        shuffled = list(counts)
        chance.shuffle(shuffled)
        of = dict(zip(counts, lost_conversions(counts), strict=True))
        self.assertEqual([of[c] for c in shuffled], lost_conversions(shuffled))

    def test_without_a_conversion_the_limits_lie_about_the_mean(self) -> None:
        for interval in shrink_rates([Counts(0, 50), Counts(0, 5000), Counts(0, 3)]).pages:
            self.assertTrue(0 <= interval.low <= interval.estimate <= interval.high, interval)

    @settings(max_examples=40, deadline=None)
    @given(pages)
    def test_no_other_beta_is_likelier(self, counts: list[Counts]) -> None:
        found = shrink_rates(counts)
        mine = np.array([np.log(found.alpha / found.beta), np.log(found.alpha + found.beta)])
        best = optimize.minimize(
            likelihood, mine, args=(counts,), method="Nelder-Mead", options={"xatol": 1e-9, "fatol": 1e-12}
        )
        inside = 0 < best.x[1] < np.log(1e7)
        gained = likelihood(mine, counts) - best.fun
        self.assertLessEqual(gained if inside else 0, 1e-8 * max(1.0, abs(best.fun)))

    def test_lost_conversions_to_many_digits(self) -> None:
        """The demo's cells that were 0.2 % off: pages of one site, counted in different ways."""
        counts = [Counts(150, 3794), Counts(226, 3745), Counts(14, 1983), Counts(14, 1260), Counts(9, 1085)]
        lost = lost_conversions(counts)
        best = optimize.minimize(
            likelihood,
            [np.log(0.03 / 0.97), 4.0],
            args=(counts,),
            method="Nelder-Mead",
            options={"xatol": 1e-11, "fatol": 1e-13, "maxiter": 5000, "maxfev": 5000},
        )
        mean, precision = 1 / (1 + np.exp(-best.x[0])), np.exp(best.x[1])
        for c, mine in zip(counts, lost, strict=True):
            shrunk = (mean * precision + c.conversions) / (precision + c.trials)
            self.assertAlmostEqual(mine, max(0.0, c.trials * (mean - shrunk)), delta=2e-4)

    def test_rates_far_from_a_half(self) -> None:
        """A tenth of a percent, and nearly all: found again by a plain grid over both parameters."""
        rare = [Counts(3, 9000), Counts(12, 8000), Counts(1, 4000), Counts(20, 9500)]
        for counts in (rare, [Counts(c.trials - c.conversions, c.trials) for c in rare]):
            found = shrink_rates(counts)
            x = np.array([c.conversions for c in counts])
            n = np.array([c.trials for c in counts])
            grid = np.array(
                [
                    (
                        mean,
                        precision,
                        float(stats.betabinom.logpmf(x, n, mean * precision, (1 - mean) * precision).sum()),
                    )
                    for mean in found.typical * np.linspace(0.5, 1.5, 21)
                    if 0 < mean < 1
                    for precision in (found.alpha + found.beta) * np.geomspace(0.1, 10, 21)
                ]
            )
            best = grid[np.argmax(grid[:, 2])]
            mine = stats.betabinom.logpmf(x, n, found.alpha, found.beta).sum()
            self.assertGreaterEqual(float(mine), best[2] - 1e-9)
            for c, page in zip(counts, found.pages, strict=True):
                posterior = stats.beta(found.alpha + c.conversions, found.beta + c.trials - c.conversions)
                self.assertAlmostEqual(page.estimate, float(posterior.mean()))
                self.assertAlmostEqual(page.low, float(posterior.ppf(0.025)))
                self.assertAlmostEqual(page.high, float(posterior.ppf(0.975)))

    def test_who_is_judged(self) -> None:
        counts = [Counts(10, 1000), Counts(60, 1000), Counts(0, 500)]
        lost = lost_conversions(counts, [False, False, True])
        self.assertEqual(lost[2], 0.0)
        self.assertEqual(lost[:2], lost_conversions(counts[:2]))
        self.assertEqual(lost_conversions(counts, [True] * 3), [0.0] * 3)
        self.assertEqual(lost_conversions([Counts(0, 0)] * 2), [0.0, 0.0])
        with self.assertRaisesRegex(ValueError, "^intended_exit: "):
            lost_conversions(counts, [True])
        with self.assertRaisesRegex(ValueError, "^counts: "):
            shrink_rates([Counts(0, 0)])

    def test_counts_are_whole_numbers(self) -> None:
        for wrong in ((1.5, 3), (1, 3.5), (-1, 3), (4, 3)):
            with self.assertRaises(ValueError):
                rate_interval(*wrong)  # type: ignore[arg-type]
            with self.assertRaises(ValueError):
                Counts(*wrong)  # type: ignore[arg-type]
        for level in (0, 1, 95, -0.5):
            with self.assertRaises(ValueError):
                usual_range([1, 2, 3, 4, 5], level)
        for odd in ([1, 2, 3, 4.5], [1, 2, 3, -4], [float("nan")] * 4):
            with self.assertRaises(ValueError):
                usual_range(odd)  # type: ignore[arg-type]
