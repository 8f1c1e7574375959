"""Definitions of audiences: what they mean, three ways, and what is wrong with one."""

from __future__ import annotations

import unittest
from datetime import timedelta
from itertools import pairwise
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from pyroaring import BitMap

from clabo.core import audiences
from clabo.core.audiences import evaluate
from clabo.core.audiences.evaluate import Moments
from clabo.core.audiences.person import Person
from clabo.core.audiences.predicates import Happening
from clabo.core.audiences.windows import sliding_unions
from clabo.core.rules.errors import RuleError
from clabo.core.tests.audience_strategies import DEFINITIONS, HISTORIES, TODAY

MOMENTS = st.tuples(
    st.sampled_from([1, 2, 2**20, 2**32 - 1]),
    st.sampled_from([0, 1, 999, 1000, 1_000_000, 1_000_001, 3_000_000, 10**15, 10**15 + 1_000_000]),
)
KIT = {"page": {"match": "equals", "value": "/kit"}}


class Histories:
    """A source of sets out of a few histories, by the plainest means."""

    def __init__(self, histories: list[list[Happening]]) -> None:
        self.histories = histories
        self.orders: dict[audiences.Sequence, list[BitMap]] = {}

    def _in(self, part: audiences.Part) -> list[tuple[int, Happening]]:
        return [
            (number, h)
            for number, history in enumerate(self.histories, 1)
            for h in history
            if part.what.met(h) and part.start <= (TODAY.date() - h.day).days < part.end
        ]

    def people(self, part: audiences.Part) -> BitMap:
        numbers = [n for n, _ in self._in(part)]
        return BitMap(n for n in set(numbers) if numbers.count(n) >= part.times)

    def moments(self, part: audiences.Part) -> Moments:
        found = sorted(self._in(part), key=lambda row: row[1].time)
        return (
            np.array([n for n, _ in found], dtype=np.uint32),
            np.array([round(h.time.timestamp() * 1e6) for _, h in found], dtype=np.int64),
        )


def is_in(node: dict[str, Any], history: list[Happening]) -> bool:
    """Straight from the JSON, trying every choice of happenings for a sequence."""
    if "all" in node:
        return all(is_in(n, history) for n in node["all"])
    if "any" in node:
        return any(is_in(n, history) for n in node["any"])
    if "sequence" in node:
        chances = [
            [h for p in step.get("any", [step]) for h in inside(p, history)] for step in node["sequence"]
        ]
        longest = timedelta(seconds=node["within"]) if "within" in node else timedelta.max
        return goes_on(None, chances, longest)
    return len(inside(node, history)) >= node["times"]


def goes_on(last: Happening | None, chances: list[list[Happening]], longest: timedelta) -> bool:
    return not chances or any(
        (last is None or timedelta(0) < h.time - last.time <= longest) and goes_on(h, chances[1:], longest)
        for h in chances[0]
    )


def inside(part: dict[str, Any], history: list[Happening]) -> list[Happening]:
    what = audiences.predicates.read_what(part["what"])
    return [h for h in history if what.met(h) and part["from"] <= (TODAY.date() - h.day).days < part["to"]]


class Meaning(unittest.TestCase):
    @settings(max_examples=300, deadline=None)
    @given(DEFINITIONS, st.lists(HISTORIES, min_size=1, max_size=3))
    def test_sets_one_person_and_a_plain_loop_agree(
        self, data: dict[str, Any], histories: list[list[Happening]]
    ) -> None:
        definition = audiences.parse(data)
        self.assertEqual(audiences.parse(audiences.as_json(definition)), definition)
        expected = {
            n
            for n, history in enumerate(histories, 1)
            if is_in(data["include"], history) and not ("exclude" in data and is_in(data["exclude"], history))
        }
        source = Histories(histories)
        self.assertEqual(set(audiences.members(definition, source)), expected)
        one_by_one = {n for n, h in enumerate(histories, 1) if Person(h, TODAY.date(), {}).member(definition)}
        self.assertEqual(one_by_one, expected)
        steps = audiences.staircase(definition, source)
        self.assertEqual(steps[-1].left, len(expected))
        self.assertEqual(sorted((s.left for s in steps), reverse=True), [s.left for s in steps])

    @settings(max_examples=200, deadline=None)
    @given(DEFINITIONS, HISTORIES)
    def test_a_line_says_until_when_it_is_met(self, data: dict[str, Any], history: list[Happening]) -> None:
        definition = audiences.parse(data)
        for line in Person(history, TODAY.date(), {}).lines(definition):
            if not line.met:
                self.assertLess(line.times, line.part.times)
                continue
            assert line.until is not None and line.by is not None
            self.assertTrue(line.part.what.met(line.by))
            # Nothing more happening, it is met on the last day before, and not on that day.
            last = line.until - timedelta(days=1)
            if line.part.start == 0:
                self.assertTrue(Person(history, last, {}).line("", line.part).met)
                self.assertFalse(Person(history, line.until, {}).line("", line.part).met)

    def test_the_stairs_name_their_lines(self) -> None:
        part = {"what": KIT}
        for data, paths in (
            ({"include": part}, ["include"]),
            ({"include": {"any": [part, part]}, "exclude": part}, ["include", "exclude"]),
            (
                {"include": {"all": [part, part]}, "exclude": {"any": [part, part]}},
                ["include.all[0]", "include.all[1]", "exclude.any[0]", "exclude.any[1]"],
            ),
            (
                {"include": {"sequence": [part, {"any": [part, part]}]}, "exclude": {"all": [part]}},
                ["include.sequence[0]", "include.sequence[1]", "exclude"],
            ),
        ):
            steps = audiences.staircase(audiences.parse(data), Histories([]))
            self.assertEqual([s.path for s in steps], paths)
        nested = audiences.parse({"include": {"any": [part, {"sequence": [part, {"any": [part, part]}]}]}})
        self.assertEqual(
            [path for path, _ in audiences.nodes(nested)],
            [
                "include",
                "include.any[0]",
                "include.any[1]",
                "include.any[1].sequence[0]",
                "include.any[1].sequence[1].any[0]",
                "include.any[1].sequence[1].any[1]",
            ],
        )
        self.assertEqual(len(list(audiences.parts(nested))), 4)

    def test_another_audience_counts_as_it_stands(self) -> None:
        definition = audiences.parse({"include": {"what": {"audience": 7}}})
        self.assertTrue(Person([], TODAY.date(), {audiences.InAudience(7): True}).member(definition))
        self.assertFalse(Person([], TODAY.date(), {}).member(definition))

    def test_a_longer_lookback_takes_the_place_of_every_same_part(self) -> None:
        part = {"what": KIT, "from": 0, "to": 21, "times": 1}
        definition = audiences.parse({"include": {"all": [part, {"sequence": [part, part]}]}})
        longer = audiences.with_length(definition, next(audiences.parts(definition)), 45)
        self.assertEqual({p.end for p in audiences.parts(longer)}, {45})

    def test_the_youngest_band_leaves_nobody_younger_out(self) -> None:
        data = {"include": {"what": {"page": {"match": "equals", "value": "/a"}}, "to": 30}}
        definition = audiences.parse(data)
        first, second = audiences.band(definition, 2, 2, 7), audiences.band(definition, 2, 7, 30)
        self.assertIsNone(first.exclude)
        assert second.exclude
        self.assertEqual([(p.start, p.end) for p in audiences.parts(second)], [(7, 30), (2, 7)])

    @settings(max_examples=100, deadline=None)
    @given(DEFINITIONS, st.lists(HISTORIES, min_size=1, max_size=3))
    def test_bands_share_nobody(self, data: dict[str, Any], histories: list[list[Happening]]) -> None:
        definition = audiences.parse(data)
        if not isinstance(definition.include, audiences.Part) or definition.include.times > 1:
            return
        cuts = [0, 3, 21, 730]
        source = Histories(histories)
        bands = [audiences.members(audiences.band(definition, 0, a, b), source) for a, b in pairwise(cuts)]
        together = audiences.members(audiences.band(definition, 0, 0, 730), source)
        self.assertEqual(sum(map(len, bands)), len(together))
        self.assertEqual(BitMap.union(*bands), together)


class Keys(unittest.TestCase):
    @given(
        st.lists(MOMENTS, min_size=1, max_size=12),
        st.lists(MOMENTS, min_size=1, max_size=12),
        st.sampled_from([1, 3, 10**9]),
    )
    def test_what_follows_within_a_time(
        self, first: list[tuple[int, int]], then: list[tuple[int, int]], seconds: int
    ) -> None:
        """Visitor numbers and times of any size, whole milliseconds or not."""
        steps = [
            (np.array([p for p, _ in some], dtype=np.uint32), np.array([t for _, t in some], dtype=np.int64))
            for some in (sorted(first, key=lambda m: m[1]), sorted(then, key=lambda m: m[1]))
        ]
        expected = {p for p, t in then if any(p == q and 0 < t - u <= seconds * 1_000_000 for q, u in first)}
        *_, last = evaluate._within(steps, seconds)
        self.assertEqual(set(map(int, last)), expected)


class Windows(unittest.TestCase):
    @given(
        st.lists(st.sets(st.integers(1, 9)), min_size=1, max_size=25), st.integers(1, 25), st.integers(1, 25)
    )
    def test_every_window_is_the_union_of_its_days(
        self, days: list[set[int]], width: int, count: int
    ) -> None:
        sets = [BitMap(d) for d in days]
        if len(days) < count + width - 1:
            with self.assertRaises(ValueError):
                sliding_unions(sets, width, count)
            return
        expected = [set().union(*days[i : i + width]) for i in range(count)]
        self.assertEqual([set(u) for u in sliding_unions(sets, width, count)], expected)

    def test_windows_that_begin_within_a_block(self) -> None:
        """Somebody new each day, so that a day too many is seen; most random ones are too short for it."""
        for width in range(1, 6):
            days = [BitMap([day]) for day in range(12)]
            found = [sorted(u) for u in sliding_unions(days, width, 13 - width)]
            self.assertEqual(found, [list(range(i, i + width)) for i in range(13 - width)])


class Wrong(unittest.TestCase):
    def test_the_field_and_the_remedy_are_named(self) -> None:
        part = {"what": KIT, "from": 0, "to": 21}
        cases: list[tuple[Any, str, str]] = [
            ([], "", "no_definition"),
            ({"include": None}, "include", "ask_include"),
            ({"include": part, "minus": part}, "", "unknown_part"),
            ({"include": {"all": []}}, "include.all", "empty_group"),
            ({"include": {"all": [part, {"any": part}]}}, "include.all[1].any", "empty_group"),
            ({"include": {"what": KIT, "from": 21, "to": 21}}, "include.to", "to_after_from"),
            ({"include": {"what": KIT, "to": 731}}, "include.to", "whole_between"),
            ({"include": {"what": KIT, "to": True}}, "include.to", "whole_between"),
            ({"include": {"what": KIT, "times": 0}}, "include.times", "whole_between"),
            ({"include": {"what": KIT, "form": 1}}, "include", "unknown_part"),
            (
                {"include": {"what": {"page": {"match": "equals", "value": ""}}}},
                "include.what.value",
                "ask_address",
            ),
            ({"include": {"what": {"not": KIT}}}, "include.what", "exclude_instead"),
            ({"include": {"what": {"came": {}}}}, "include.what.came", "ask_where_from"),
            ({"include": {"what": {"came": {"source": "a\0b"}}}}, "include.what.source", "nul"),
            ({"include": {"what": {"audience": 1}, "to": 3}}, "include", "unknown_part"),
            ({"include": {"sequence": [{"what": KIT, "times": 2}]}}, "include.sequence[0]", "no_step"),
            ({"include": {"sequence": [{"all": [part]}]}}, "include.sequence[0]", "no_step"),
            ({"include": {"what": {"audience": 2**31}}}, "include.what.audience", "how_many"),
            ({"include": {"sequence": [{"what": {"audience": 1}}]}}, "include.sequence[0]", "no_step"),
            ({"include": {"sequence": [part], "within": 0}}, "include.within", "whole_between"),
            ({"include": {"all": [part] * 41}}, "include.all", "too_many_parts"),
            ({"include": {"all": [{"all": [part] * 21}, {"any": [part] * 21}]}}, "include", "too_many_parts"),
            ({"include": "kit"}, "include", "no_node"),
        ]
        for data, where, code in cases:
            with self.subTest(data), self.assertRaises(RuleError) as raised:
                audiences.parse(data)
            self.assertEqual((raised.exception.field, raised.exception.told.code), (where, code))

    def test_what_is_nested_too_deep(self) -> None:
        node: dict[str, Any] = {"what": KIT}
        for _ in range(7):
            node = {"all": [node]}
        with self.assertRaises(RuleError) as raised:
            audiences.parse({"include": node})
        self.assertEqual(raised.exception.told.code, "too_deep")
