"""Differences in groups: drawn as by the book, flagged no more often than is allowed."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from scipy import stats

from clabo.core.evidence import Counts, group_effects, holm


def smooth(c: Counts) -> float:
    rate = (c.conversions + 0.5) / (c.trials + 1)
    return rate * (1 - rate) / c.trials


class Groups(TestCase):
    pairs = {
        "a": (Counts(40, 1000), Counts(90, 1000)),
        "b": (Counts(60, 800), Counts(50, 900)),
        "c": (Counts(12, 300), Counts(25, 280)),
    }

    def test_by_the_formulas(self) -> None:
        """DerSimonian & Laird 1986, equations of their section 3, then Morris's weights."""
        found = group_effects({"way": self.pairs})["way"]
        gaps = {k: b.rate - a.rate for k, (a, b) in self.pairs.items()}
        variances = {k: smooth(a) + smooth(b) for k, (a, b) in self.pairs.items()}
        w = {k: 1 / v for k, v in variances.items()}
        fixed = sum(w[k] * gaps[k] for k in w) / sum(w.values())
        q = sum(w[k] * (gaps[k] - fixed) ** 2 for k in w)
        tau = max(0.0, (q - 2) / (sum(w.values()) - sum(x * x for x in w.values()) / sum(w.values())))
        random = {k: 1 / (v + tau) for k, v in variances.items()}
        centre = sum(random[k] * gaps[k] for k in random) / sum(random.values())
        plain = []
        for k, effect in found.items():
            pull = variances[k] / (variances[k] + tau)
            self.assertAlmostEqual(effect.shrunk.estimate, gaps[k] + pull * (centre - gaps[k]), places=12)
            half = stats.norm.isf(0.025) * math.sqrt(
                (1 - pull) * variances[k] + pull**2 / sum(random.values())
            )
            self.assertAlmostEqual(effect.shrunk.high - effect.shrunk.estimate, half, places=12)
            others = {o: w[o] for o in w if o != k}
            rest = sum(others[o] * gaps[o] for o in others) / sum(others.values())
            spread = math.sqrt(variances[k] + 1 / sum(others.values()))
            plain.append(2 * stats.norm.sf(abs(gaps[k] - rest) / spread))
        for effect, p in zip(found.values(), holm(plain), strict=True):
            self.assertAlmostEqual(effect.p_value, p, places=12)

    def test_groups_that_are_alike_are_flagged_in_five_of_a_hundred_at_most(self) -> None:
        chance = np.random.default_rng(4)
        flagged = 0
        for _ in range(400):
            ways = {
                way: {
                    key: tuple(Counts(int(chance.binomial(1500, rate)), 1500) for rate in (0.05, 0.06))
                    for key in range(groups)
                }
                for way, groups in (("device", 3), ("channel", 5), ("visits", 2))
            }
            found = group_effects(ways)  # type: ignore[arg-type]
            flagged += any(e.differs for of in found.values() for e in of.values())
        self.assertLessEqual(flagged, stats.binom.isf(0.001, 400, 0.05))

    def test_small_groups_are_left_out_and_one_alone_is_compared_with_nothing(self) -> None:
        found = group_effects(
            {"way": {"big": (Counts(40, 1000), Counts(90, 1000)), "small": (Counts(1, 19), Counts(9, 500))}}
        )["way"]
        self.assertEqual(list(found), ["big"])
        self.assertTrue(math.isnan(found["big"].p_value))
        self.assertEqual(
            (found["big"].differs, found["big"].shrunk.estimate), (False, found["big"].raw.estimate)
        )

    def test_a_sign_that_turns_is_told(self) -> None:
        found = group_effects(
            {"way": {"a": (Counts(50, 1000), Counts(120, 1000)), "b": (Counts(120, 1000), Counts(60, 1000))}}
        )["way"]
        self.assertEqual([(e.differs, e.reversed) for e in found.values()], [(True, True)] * 2)
        same = group_effects(
            {"way": {"a": (Counts(50, 1000), Counts(220, 1000)), "b": (Counts(50, 1000), Counts(60, 1000))}}
        )["way"]
        self.assertEqual([(e.differs, e.reversed) for e in same.values()], [(True, False)] * 2)
