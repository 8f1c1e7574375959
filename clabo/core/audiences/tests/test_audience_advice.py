"""What is said of an audience's size, growth and definition."""

from __future__ import annotations

import math
import statistics
import unittest
from itertools import pairwise
from typing import Any

from hypothesis import given
from hypothesis import strategies as st
from scipy import stats

from clabo.core import audiences
from clabo.core.audiences.advice import Point, Shared, advice, is_nearly_one, what_length_gives
from clabo.core.audiences.outlook import enough, outlook

KIT = {"page": {"match": "equals", "value": "/kit"}}


def points(*pairs: tuple[int, int]) -> list[Point]:
    return [Point(*pair) for pair in pairs]


class Size(unittest.TestCase):
    def test_floors_are_reached_at_their_number(self) -> None:
        self.assertEqual(
            [enough(n, 300, 1500) for n in (0, 299, 300, 1499, 1500)],
            ["not_yet", "not_yet", "enough", "enough", "plenty"],
        )

    @given(st.lists(st.integers(0, 5000), min_size=8, max_size=40), st.sampled_from([1, 7]))
    def test_what_to_expect(self, sizes: list[int], days: int) -> None:
        found = outlook(sizes, days)
        assert found is not None
        last = sizes[-29:]
        changes = [b - a for a, b in pairwise(last)]
        n, drift = len(changes), statistics.fmean(changes)
        half = stats.t(n - 1).ppf(0.975) * statistics.stdev(changes) * math.sqrt(days + days**2 / n)
        middle = sizes[-1] + days * drift
        self.assertAlmostEqual(found.a_day, drift)
        self.assertAlmostEqual(found.expected, max(0, middle))
        self.assertAlmostEqual(found.low, max(0, middle - half), places=6)
        self.assertAlmostEqual(found.high, max(0, middle + half), places=6)
        self.assertEqual(found.days, days)

    def test_a_week_of_changes_is_needed(self) -> None:
        self.assertIsNone(outlook(list(range(7))))
        self.assertIsNotNone(outlook(list(range(8))))

    def test_when_a_size_is_reached(self) -> None:
        growing = outlook([10 * day for day in range(20)])
        shrinking = outlook([1000 - day for day in range(20)])
        assert growing and shrinking
        self.assertEqual([growing.days_until(190, n) for n in (190, 191, 200, 201)], [0, 1, 1, 2])
        self.assertEqual(shrinking.days_until(981, 981), 0)
        self.assertIsNone(shrinking.days_until(981, 982))
        still = outlook([5] * 20)
        assert still
        self.assertIsNone(still.days_until(5, 6))


class Lengths(unittest.TestCase):
    def said(self, chosen: int, *pairs: tuple[int, int]) -> Any:
        told = what_length_gives(points(*pairs), chosen)
        return told and (told.code, dict(told.params))

    def test_what_another_length_gives(self) -> None:
        curve = ((1, 10), (7, 40), (14, 60), (21, 80), (30, 90), (33, 95))
        self.assertEqual(
            self.said(21, *curve),
            ("length_gives_and_then", {"days": 30, "people": 90, "last": 33, "more": 5}),
        )
        self.assertEqual(self.said(21, *curve[:5]), ("length_gives", {"days": 30, "more": 10}))
        self.assertEqual(self.said(21, *curve[:5], (33, 90)), ("length_gives", {"days": 30, "more": 10}))
        self.assertEqual(self.said(33, *curve), ("length_gives_all", {"days": 33}))
        self.assertEqual(self.said(30, *curve), ("length_gives_all", {"days": 30}))
        self.assertEqual(self.said(14, (14, 60), (21, 60), (30, 60)), ("length_gives_all", {"days": 14}))
        self.assertIsNone(what_length_gives([], 3))


class Advice(unittest.TestCase):
    def codes(self, data: dict[str, Any], people: int = 1000, **more: Any) -> list[str]:
        given_: dict[str, Any] = {"curve": [], "others": [], "conversions": False, "stopped": [], **more}
        return [t.code for t in advice(audiences.parse(data), people, 300, **given_)]

    def test_nothing_where_all_is_well(self) -> None:
        data = {"include": {"what": KIT, "to": 21}, "exclude": {"what": {"conversion": 1}, "to": 21}}
        self.assertEqual(self.codes(data, conversions=True), [])

    def test_a_list_has_no_length_to_be_advised_on(self) -> None:
        self.assertEqual(
            self.codes({"include": {"what": {"list": 4}}}, 10, curve=points((1, 5), (7, 900))), []
        )

    def test_too_short_only_where_longer_would_do(self) -> None:
        data = {"include": {"what": KIT, "to": 7}}
        curve = points((1, 50), (7, 200), (14, 299), (21, 300), (30, 400))
        found = advice(audiences.parse(data), 200, 300, curve, [], False, [])
        self.assertEqual((found[0].code, found[0].params), ("advice_too_short", {"days": 21, "people": 300}))
        self.assertEqual(self.codes(data, 200, curve=curve[:3]), [])
        self.assertEqual(self.codes(data, 300, curve=curve), [])

    def test_too_long_only_where_half_does_as_well(self) -> None:
        data = {"include": {"what": KIT, "to": 60}}
        for at_half, codes in ((970, ["advice_too_long"]), (969, [])):
            curve = points((1, 500), (30, at_half), (60, 1000), (90, 1000))
            self.assertEqual(self.codes(data, curve=curve), codes, at_half)
        # Of all that was ever recorded nothing is known to be too long.
        self.assertEqual(self.codes(data, curve=points((30, 1000), (60, 1000))), [])
        found = advice(
            audiences.parse(data),
            1000,
            300,
            points((29, 980), (31, 999), (60, 1000), (90, 1001)),
            [],
            False,
            [],
        )
        self.assertEqual(found[0].params, {"days": 29, "fewer": 20})

    def test_an_exclusion_shorter_than_what_is_included(self) -> None:
        include = {"what": KIT, "to": 30}
        for end, codes in ((29, ["advice_exclusion_shorter"]), (30, [])):
            data = {"include": include, "exclude": {"what": {"conversion": 1}, "to": end}}
            self.assertEqual(self.codes(data, conversions=True), codes)

    def test_nobody_is_left_out_who_converted(self) -> None:
        self.assertEqual(self.codes({"include": {"what": KIT}}, conversions=True), ["advice_no_exclusion"])
        self.assertEqual(self.codes({"include": {"what": KIT}}), [])
        who_did = {"include": {"what": {"conversion": 1}}}
        self.assertEqual(self.codes(who_did, conversions=True), [])

    def test_a_page_has_stopped_and_another_is_nearly_one(self) -> None:
        others = [Shared(1, "A", 1000, 850), Shared(2, "B", 1001, 850), Shared(3, "C", 10, 10)]
        found = advice(
            audiences.parse({"include": {"what": KIT}}), 1000, 300, [], others, False, ["shop.example/kit"]
        )
        self.assertEqual(
            [(t.code, dict(t.params)) for t in found],
            [("advice_page_stopped", {"page": "shop.example/kit"}), ("advice_nearly_one", {"name": "A"})],
        )
        self.assertFalse(is_nearly_one(0, Shared(1, "A", 0, 0)))
