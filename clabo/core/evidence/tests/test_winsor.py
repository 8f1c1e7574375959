"""Values cut to size: one limit for all, and no more than the share."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import mstats

from clabo.core.evidence import winsorise

VALUES = st.lists(st.floats(0.01, 1e6), max_size=60)


class Winsorised(TestCase):
    @given(VALUES, VALUES, st.floats(0.005, 0.49) | st.sampled_from([0.01, 0.1, 1 / 3]))
    def test_as_scipy_does_to_all_together(self, a: list[float], b: list[float], share: float) -> None:
        found = [cut.tolist() for cut in winsorise([a, b], share)]
        self.assertEqual([len(x) for x in found], [len(a), len(b)])
        if a or b:
            # SciPy cuts int(share · n) values; so do we, by the value that many lie above.
            plain = mstats.winsorize(np.array([*a, *b]), limits=(0, share), inclusive=(True, True))
            self.assertEqual(sorted(found[0] + found[1]), sorted(map(float, plain)))

    def test_an_impossible_share(self) -> None:
        for share in (0, 0.5, -1):
            with self.assertRaises(ValueError):
                winsorise([[1.0]], share)
