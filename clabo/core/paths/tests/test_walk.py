"""How far somebody got, against plain loops over every choice."""

from __future__ import annotations

import unittest
from itertools import pairwise, product

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.paths.walk import NEVER, Happened, walk

COUNT = 4
ROWS = st.lists(st.tuples(st.integers(0, COUNT - 1), st.integers(0, 12)), max_size=10)


def columns(rows: list[tuple[int, int]]) -> Happened:
    return np.array([w for w, _ in rows], dtype=np.int64), np.array([t for _, t in rows], dtype=np.int64)


def chains(steps: list[list[tuple[int, int]]], who: int) -> list[tuple[int, ...]]:
    """Every way along all of these steps."""
    times = [[t for w, t in rows if w == who] for rows in steps]
    return [c for c in product(*times) if all(a <= b for a, b in pairwise(c))]


class Walks(unittest.TestCase):
    @settings(max_examples=300, deadline=None)
    @given(st.lists(ROWS, min_size=1, max_size=4), st.none() | st.integers(0, 8), st.sampled_from([1, 9**9]))
    def test_whoever_can_get_there_is_there(
        self, steps: list[list[tuple[int, int]]], within: int | None, apart: int
    ) -> None:
        # Close together and far apart those of the first step are looked up in two ways.
        found = walk([columns([(w * apart, t) for w, t in rows]) for rows in steps], within)
        self.assertEqual([w // apart for w in found.who.tolist()], sorted({w for w, _ in steps[0]}))
        for column, who in enumerate(w // apart for w in found.who.tolist()):
            for place in range(len(steps)):
                ways = chains(steps[: place + 1], who)
                if within is not None:
                    ways = [c for c in ways if c[-1] - c[0] <= within]
                expected = min((c[-1] for c in ways), default=NEVER)
                self.assertEqual(bool(found.at(place)[column]), expected != NEVER)
                if expected != NEVER:
                    self.assertEqual(found.reached[place, column], expected, (who, place))
                    self.assertLessEqual(found.before[place, column], expected)
        counts = found.counts()
        self.assertEqual(sorted(counts, reverse=True), counts)
        for place in range(len(steps) - 1):
            self.assertEqual(int(found.left(place).sum()), counts[place] - counts[place + 1])

    @settings(max_examples=200, deadline=None)
    @given(st.lists(ROWS, min_size=2, max_size=3))
    def test_the_time_between_is_that_of_the_earliest_way(self, steps: list[list[tuple[int, int]]]) -> None:
        found = walk([columns(rows) for rows in steps])
        for place in range(1, len(steps)):
            gaps = []
            for who in range(COUNT):
                at = -1
                earliest: list[int] = []
                for rows in steps[: place + 1]:
                    later = [t for w, t in rows if w == who and t >= at]
                    if not later:
                        break
                    at = min(later)
                    earliest.append(at)
                if len(earliest) == place + 1:
                    gaps.append(earliest[-1] - earliest[-2])
            expected = float(np.median(gaps)) / 1e6 if gaps else None
            self.assertEqual(found.median_seconds(place), expected)

    def test_of_nobody_nothing(self) -> None:
        nothing = columns([])
        found = walk([nothing, nothing], within=5)
        self.assertEqual(found.counts(), [0, 0])
        self.assertIsNone(found.median_seconds(1))
