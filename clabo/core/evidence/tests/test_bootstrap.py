"""The sparse BCa bootstrap against SciPy's on the whole sample."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from scipy import stats

from clabo.core.evidence import bootstrap_mean, bootstrap_mean_difference


def gap(a: object, b: object, axis: int = -1) -> object:
    return np.mean(b, axis=axis) - np.mean(a, axis=axis)  # type: ignore[call-overload]


class Sparse(TestCase):
    def samples(self, seed: int, n: int = 300, share: float = 0.15) -> tuple[np.ndarray, np.ndarray]:
        chance = np.random.default_rng(seed)
        return tuple(  # type: ignore[return-value]
            np.where(chance.random(n) < share, chance.lognormal(4, 0.8, n).round(2), 0) for _ in range(2)
        )

    def test_difference_and_mean_agree_with_scipy(self) -> None:
        for seed in range(3):
            a, b = self.samples(seed)
            kept = [x[x != 0].tolist() for x in (a, b)]
            zeros = (len(a) - len(kept[0]), len(b) - len(kept[1]))
            ours = bootstrap_mean_difference(*kept, resamples=20_000, zeros=zeros)
            chance = np.random.default_rng(9)
            theirs = stats.bootstrap(
                (a, b), gap, n_resamples=20_000, method="BCa", rng=chance
            ).confidence_interval
            width = theirs.high - theirs.low
            self.assertAlmostEqual(ours.low, theirs.low, delta=0.05 * width)
            self.assertAlmostEqual(ours.high, theirs.high, delta=0.05 * width)
            one = bootstrap_mean(kept[0], zeros[0], resamples=20_000)
            them = stats.bootstrap((a,), np.mean, n_resamples=20_000, method="BCa", rng=9).confidence_interval
            self.assertAlmostEqual(one.low, them.low, delta=0.05 * (them.high - them.low))
            self.assertAlmostEqual(one.high, them.high, delta=0.05 * (them.high - them.low))

    def test_zeros_given_or_counted_are_the_same(self) -> None:
        a, b = self.samples(4)
        told = bootstrap_mean_difference(a.tolist(), b.tolist())
        kept = [x[x != 0].tolist() for x in (a, b)]
        counted = bootstrap_mean_difference(*kept, zeros=(len(a) - len(kept[0]), len(b) - len(kept[1])))
        self.assertEqual(told, counted)

    def test_what_has_no_spread_and_what_cannot_be(self) -> None:
        self.assertEqual(bootstrap_mean([3.0, 3.0]).high, 3.0)
        self.assertTrue(math.isnan(bootstrap_mean([1.0]).low))
        self.assertTrue(math.isnan(bootstrap_mean_difference([1.0], [1.0, 2.0]).low))
        for wrong in ({"zeros": -1}, {"resamples": 99}, {"level": 1.0}):
            with self.assertRaises(ValueError):
                bootstrap_mean([1.0, 2.0], **wrong)  # type: ignore[arg-type]
