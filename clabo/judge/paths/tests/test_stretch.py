"""What is found in a stretch, against going through all of it."""

from __future__ import annotations

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.judge.paths.stretch import Stretch

# Few and many.
NUMBERS = st.integers(0, 4) | st.sampled_from([65_535, 65_536, 131_073])


class Found(unittest.TestCase):
    @settings(max_examples=200, deadline=None)
    @given(st.lists(st.tuples(NUMBERS, NUMBERS), max_size=12), st.sets(NUMBERS), st.sets(NUMBERS))
    def test_it_is_what_is_there(
        self, events: list[tuple[int, int]], atoms: set[int], visits: set[int]
    ) -> None:
        who, what = np.array(events, dtype=np.int64).reshape(-1, 2).T
        stretch = Stretch(who, np.arange(len(events)), what.astype(np.uint32))
        rows = sorted((v, time, a) for time, (v, a) in enumerate(events))
        everything = np.arange(len(stretch))
        columns = stretch.who(everything), stretch.times(everything), stretch.atoms
        told = list(zip(*(c.tolist() for c in columns), strict=True))
        self.assertEqual(told, rows)
        some = [told[i] for i in stretch.of_atoms(list(atoms)).tolist()]
        self.assertEqual(some, [row for row in rows if row[2] in atoms])
        asked = np.array(sorted(visits), dtype=np.int64)
        of, where = stretch.of_visits(asked)
        self.assertEqual([told[i] for i in where.tolist()], [row for row in rows if row[0] in visits])
        self.assertEqual([asked[i] for i in of.tolist()], [told[i][0] for i in where.tolist()])
        # The next of some atoms after the middle of time.
        wanted = np.zeros(200_000, dtype=bool)
        wanted[list(atoms)] = True
        nexts = stretch.next_after(asked, np.full(len(asked), len(events) // 2), wanted)
        for visit, at in zip(asked.tolist(), nexts.tolist(), strict=True):
            later = [row for row in rows if row[0] == visit and row[1] > len(events) // 2 and row[2] in atoms]
            self.assertEqual(told[at] if at >= 0 else None, later[0] if later else None)
        counts = stretch.counts()
        self.assertEqual(
            {a: int(n) for a, n in enumerate(counts) if n},
            {a: sum(r[2] == a for r in rows) for _, a in events},
        )
