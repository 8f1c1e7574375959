"""Estimates at the look that stopped a test, against tests played out."""

from __future__ import annotations

import math
from unittest import TestCase

import numpy as np

from clabo.core.evidence import Interval, Look, first_crossing, median_unbiased
from clabo.core.evidence.experiments.daily import bounds

TIMES = [0.2, 0.4, 0.6, 0.8, 1.0]
EDGES = bounds(TIMES)


def played(path: np.ndarray) -> list[Look]:
    """Looks at a motion with its drift as the difference: of information t the error is 1 / √t."""
    looks = []
    for place, (time, edge) in enumerate(zip(TIMES, EDGES, strict=True)):
        gap, reach = float(path[place]) / time, edge / math.sqrt(time)
        looks.append(Look(place, time, edge, Interval(gap - reach, gap, gap + reach)))
    return looks


class Stopped(TestCase):
    def test_as_often_below_the_truth_as_above(self) -> None:
        """Of all tests: who never stops has a plain estimate, which is as often below as above by itself."""
        chance = np.random.default_rng(5)
        for drift in (2.0, 3.5):
            plain, corrected = [], []
            for _ in range(700):
                steps = chance.normal(drift * 0.2, math.sqrt(0.2), 5)
                looks = played(np.cumsum(steps))
                place = first_crossing(looks)
                if place is None:
                    # As at a last look that calls it: more extreme is what has crossed, or lies above.
                    last = looks[-1]
                    gap = last.interval.estimate
                    looks[-1] = Look(4, 1.0, 1e-9, Interval(gap - 1e-9, gap, gap + 1e-9))
                    if gap <= 0:
                        plain.append(gap)
                        corrected.append(gap)
                        continue
                    place = 4
                plain.append(looks[place].interval.estimate)
                corrected.append(median_unbiased(looks))
            self.assertAlmostEqual(float(np.mean(np.array(corrected) < drift)), 0.5, delta=0.05)
            self.assertGreater(float(np.mean(plain)), float(np.mean(corrected)))

    def test_the_other_way_round(self) -> None:
        path = np.array([0.1, 0.6, 1.9, 2.4, 3.0])
        up, down = played(path), played(-path)
        self.assertAlmostEqual(median_unbiased(up), -median_unbiased(down))
        self.assertLess(median_unbiased(up), up[first_crossing(up) or 0].interval.estimate)
        self.assertTrue(math.isnan(median_unbiased(played(np.zeros(5)))))
        self.assertTrue(math.isnan(median_unbiased([])))
