"""Differences in groups: drawn as by the book, flagged no more often than is allowed."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np
from scipy import optimize, stats

from clabo.core.evidence import Counts, group_effects, holm
from clabo.core.evidence.experiments.sequential import tuning


def smooth(c: Counts) -> float:
    rate = (c.conversions + 0.5) / (c.trials + 1)
    return rate * (1 - rate) / c.trials


class Groups(TestCase):
    pairs = {
        "a": (Counts(40, 1000), Counts(90, 1000)),
        "b": (Counts(60, 800), Counts(50, 900)),
        "c": (Counts(12, 300), Counts(25, 280)),
    }

    @staticmethod
    def by_search(errors: float, t: float) -> float:
        """The smallest α whose boundary is not beyond so many standard errors."""

        def beyond(alpha: float) -> float:
            return math.sqrt(2 * (t + 1) / t * math.log(math.sqrt(t + 1) / alpha)) - abs(errors)

        return 1.0 if beyond(1.0) > 0 else float(optimize.brentq(beyond, 1e-12, 1.0, xtol=1e-15))

    def test_by_the_formulas(self) -> None:
        """DerSimonian & Laird 1986, equations of their section 3, then Morris's weights."""
        planned = 4000
        found = group_effects({"way": self.pairs}, planned)["way"]
        gaps = {k: b.rate - a.rate for k, (a, b) in self.pairs.items()}
        variances = {k: smooth(a) + smooth(b) for k, (a, b) in self.pairs.items()}
        w = {k: 1 / v for k, v in variances.items()}
        fixed = sum(w[k] * gaps[k] for k in w) / sum(w.values())
        q = sum(w[k] * (gaps[k] - fixed) ** 2 for k in w)
        tau = max(0.0, (q - 2) / (sum(w.values()) - sum(x * x for x in w.values()) / sum(w.values())))
        random = {k: 1 / (v + tau) for k, v in variances.items()}
        centre = sum(random[k] * gaps[k] for k in random) / sum(random.values())
        plain = []
        n = sum(c.trials for pair in self.pairs.values() for c in pair)
        rho2 = tuning(planned)
        z = math.sqrt(2 * (n * rho2 + 1) / (n * rho2) * math.log(math.sqrt(n * rho2 + 1) / 0.05))
        for k, effect in found.items():
            pull = variances[k] / (variances[k] + tau)
            self.assertAlmostEqual(effect.shrunk.estimate, gaps[k] + pull * (centre - gaps[k]), places=12)
            half = z * math.sqrt((1 - pull) * variances[k] + pull**2 / sum(random.values()))
            self.assertAlmostEqual(effect.shrunk.high - effect.shrunk.estimate, half, places=12)
            others = {o: w[o] for o in w if o != k}
            rest = sum(others[o] * gaps[o] for o in others) / sum(others.values())
            spread = math.sqrt(variances[k] + 1 / sum(others.values()))
            plain.append(self.by_search((gaps[k] - rest) / spread, n * rho2))
        for effect, p in zip(found.values(), holm(plain), strict=True):
            self.assertAlmostEqual(effect.p_value, p, places=9)

    def test_groups_that_are_alike_are_flagged_in_five_of_a_hundred_at_most_however_often_one_looks(
        self,
    ) -> None:
        chance = np.random.default_rng(4)
        flagged, looks = 0, 40
        ways = {"device": 3, "channel": 5, "visits": 2}
        for _ in range(200):
            # At each look as many more have come, to each group of each way.
            came = {
                way: chance.binomial(60, [0.05, 0.06], (looks, n, 2)).cumsum(axis=0)
                for way, n in ways.items()
            }
            for look in range(looks):
                found = group_effects(
                    {
                        way: {
                            key: (Counts(int(a), 60 * (look + 1)), Counts(int(b), 60 * (look + 1)))
                            for key, (a, b) in enumerate(did[look])
                        }
                        for way, did in came.items()
                    },
                    planned=8000,
                )
                if any(e.differs for of in found.values() for e in of.values()):
                    flagged += 1
                    break
        self.assertLessEqual(flagged, stats.binom.isf(0.001, 200, 0.05))

    def test_small_groups_are_left_out_and_one_alone_is_compared_with_nothing(self) -> None:
        found = group_effects(
            {"way": {"big": (Counts(40, 1000), Counts(90, 1000)), "small": (Counts(4, 190), Counts(9, 500))}},
            4000,
        )["way"]
        self.assertEqual(list(found), ["big"])
        self.assertTrue(math.isnan(found["big"].p_value))
        self.assertEqual(
            (found["big"].differs, found["big"].shrunk.estimate), (False, found["big"].raw.estimate)
        )

    def test_a_sign_that_turns_is_told(self) -> None:
        found = group_effects(
            {"way": {"a": (Counts(50, 1000), Counts(120, 1000)), "b": (Counts(120, 1000), Counts(60, 1000))}},
            4000,
        )["way"]
        self.assertEqual([(e.differs, e.reversed) for e in found.values()], [(True, True)] * 2)
        same = group_effects(
            {"way": {"a": (Counts(50, 1000), Counts(220, 1000)), "b": (Counts(50, 1000), Counts(60, 1000))}},
            4000,
        )["way"]
        self.assertEqual([(e.differs, e.reversed) for e in same.values()], [(True, False)] * 2)
