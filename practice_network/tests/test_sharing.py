"""A budget that moves, against chances worked out by drawing."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from practice_network.simulation.sharing import LEAST_PART, Tally, chance_better, next_move

DAY = date(2026, 11, 2)
tallies = st.builds(Tally, st.floats(0.5, 500), st.integers(0, 60))


class Moving(TestCase):
    def test_the_chance_is_what_drawing_says(self) -> None:
        chance = np.random.default_rng(1)
        for one, other in (
            (Tally(40, 12), Tally(50, 6)),
            (Tally(3, 0), Tally(90, 4)),
            (Tally(10, 5), Tally(10, 5)),
        ):
            x = chance.gamma(one.conversions + 0.5, 1 / one.effort, 400_000)
            y = chance.gamma(other.conversions + 0.5, 1 / other.effort, 400_000)
            self.assertAlmostEqual(chance_better(one, other), float((x > y).mean()), delta=0.004)

    @given(st.dictionaries(st.sampled_from("abcd"), tallies, min_size=2, max_size=4), st.data())
    def test_never_all_and_never_without_evidence(self, of: dict[str, Tally], data: st.DataObject) -> None:
        raw = {name: data.draw(st.floats(0.2, 1)) for name in of}
        floor = LEAST_PART / len(of)
        free = 1 - LEAST_PART
        shares = {name: floor + free * r / sum(raw.values()) for name, r in raw.items()}
        move = next_move(DAY, "line", of, shares)
        if move is None:
            return
        self.assertGreaterEqual(move.chance, 0.9)
        self.assertGreaterEqual(of[move.source].conversions + of[move.target].conversions, 10)
        self.assertTrue(0 < move.share <= shares[move.source] - floor + 1e-12)
        better = of[move.target].conversions / of[move.target].effort
        self.assertGreater(better, of[move.source].conversions / of[move.source].effort)

    def test_alike_stays_alike(self) -> None:
        self.assertIsNone(
            next_move(DAY, "creative", {"a": Tally(9, 20), "b": Tally(9, 22)}, {"a": 0.5, "b": 0.5})
        )
        self.assertIsNone(next_move(DAY, "line", {"a": Tally(9, 0), "b": Tally(1, 9)}, {"a": 0.5, "b": 0.5}))
        self.assertIsNone(next_move(DAY, "line", {"a": Tally(9, 50)}, {"a": 1.0}))
