"""A page's own goal is named only where the evidence names one."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from clabo.core.pages.own_goal import own_goal


class OwnGoal(TestCase):
    def test_none_for_few_or_for_two_alike(self) -> None:
        self.assertIsNone(own_goal({}))
        self.assertIsNone(own_goal({"lead": 4}))
        self.assertEqual(own_goal({"lead": 5}), "lead")
        self.assertIsNone(own_goal({"lead": 30, "order": 28, "call": 1}))
        self.assertEqual(own_goal({"call": 1, "order": 300, "lead": 200}), "order")

    @given(st.integers(0, 200), st.integers(0, 200))
    def test_against_the_score_test_of_even_chances(self, a: int, b: int) -> None:
        """Wilson's interval lies above one half just where the score test against one half rejects."""
        found = own_goal({"a": a, "b": b})
        if max(a, b) < 5:
            self.assertIsNone(found)
        else:
            n = a + b
            z = (max(a, b) / n - 0.5) / (0.25 / n) ** 0.5
            self.assertEqual(found is not None, z > stats.norm.ppf(0.975))
