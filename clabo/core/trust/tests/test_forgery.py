"""What is called made up, and what is not."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.trust.forgery import odd_values, one_source, too_many, too_many_pages


class Suspicions(TestCase):
    def test_values_far_from_all_before(self) -> None:
        past = [40.0] * 30 + [100.0]
        self.assertEqual(odd_values([499.0, 500.0, 500.01, 40.0], past), [2])
        self.assertEqual(odd_values([9e9], past[:29]), [])
        self.assertEqual(odd_values([1.0], [0.0] * 40), [])

    def test_pages_of_a_day(self) -> None:
        quiet = [2, 0, 5, 1, 0, 3, 2, 0, 0, 4, 1, 0, 2, 3]
        self.assertTrue(too_many_pages(200, quiet))
        self.assertFalse(too_many_pages(199, quiet))
        # A site that has as many new pages as that now and then.
        self.assertFalse(too_many_pages(250, [*quiet, 260]))
        self.assertTrue(too_many_pages(2000, [150] * 14))
        self.assertFalse(too_many_pages(700, [150] * 14))

    def test_a_day_over_twice_the_usual_range(self) -> None:
        like = [100, 96, 110, 93, 104, 99, 107, 95]  # usual up to 116
        self.assertTrue(too_many(233, like))
        self.assertFalse(too_many(232, like))
        self.assertFalse(too_many(20, [0, 0, 1, 0]))
        self.assertFalse(too_many(10_000, [1, 2, 3]))

    @given(st.dictionaries(st.text(min_size=1, max_size=2), st.integers(1, 60), max_size=6))
    def test_one_network_has_a_third_of_all_and_three_times_any_other(self, counts: dict[str, int]) -> None:
        found = one_source(counts)
        if found is not None:
            others = [n for key, n in counts.items() if key != found]
            self.assertGreaterEqual(counts[found], 8)
            self.assertTrue(others)
            self.assertGreaterEqual(counts[found], 3 * max(others))
            self.assertGreater(counts[found], sum(counts.values()) * 0.3)

    def test_one_network_alone_says_nothing(self) -> None:
        self.assertIsNone(one_source({}))
        self.assertIsNone(one_source({"a": 500}))
        self.assertIsNone(one_source({"a": 7, "b": 1}))
        self.assertEqual(one_source({"a": 8, "b": 1}), "a")
