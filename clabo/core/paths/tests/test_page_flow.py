"""What stands around a page, against a plain loop."""

from __future__ import annotations

import unittest
from collections import Counter

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.paths.page_flow import NOTHING, around, counted

visits = st.lists(st.lists(st.integers(1, 4), min_size=1, max_size=7), max_size=8)


class Around(unittest.TestCase):
    @settings(max_examples=150, deadline=None)
    @given(
        visits,
        st.integers(1, 3),
        st.dictionaries(st.sampled_from([-2, -1, 1, 2]), st.sampled_from([1, 2, NOTHING]), max_size=2),
    )
    def test_is_what_a_loop_finds(self, made: list[list[int]], reach: int, only: dict[int, int]) -> None:
        only = {d: p for d, p in only.items() if abs(d) <= reach}
        expected: dict[int, Counter[int]] = {d: Counter() for d in range(-reach, reach + 1) if d}
        total = 0
        for visit in made:
            at = dict(enumerate(visit))
            for place, page in at.items():
                if page != 2 or any(at.get(place + d, NOTHING) != p for d, p in only.items()):
                    continue
                total += 1
                for d in expected:
                    step = 1 if d > 0 else -1
                    if place + d - step in at:
                        expected[d][at.get(place + d, NOTHING)] += 1
        who = np.array([i for i, v in enumerate(made) for _ in v], dtype=np.int64)
        what = np.array([p for v in made for p in v], dtype=np.int64)
        places = around(who, what, 2, reach)
        found = counted(places, reach, only)
        self.assertEqual(found, {d: dict(c) for d, c in expected.items()})
        self.assertEqual(sum(found[1].values()), total)

    def test_there_is_at_least_one_step_to_look(self) -> None:
        with self.assertRaises(ValueError):
            around(np.array([0]), np.array([1]), 1, 0)
