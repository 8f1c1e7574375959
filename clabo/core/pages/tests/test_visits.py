"""Stitching, marked interactions and bounces, against the definitions read aloud."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.pages.visits import DEFAULT_GAP, Hit, Stretch, continues, is_bounce, is_interaction, stitch
from clabo.core.rules import KINDS

START = datetime(2026, 3, 29, 0, 30, tzinfo=UTC)
moments = st.lists(
    st.tuples(st.integers(0, 300), st.sampled_from([None, None, ("s1",), ("s2",)])),
    max_size=12,
    unique_by=lambda m: m[0],
).map(sorted)


def hits(made: list[tuple[int, tuple[str, ...] | None]]) -> list[Hit[int]]:
    return [Hit(START + timedelta(minutes=m), campaign, m) for m, campaign in made]


class Stitching(TestCase):
    @given(moments)
    def test_as_defined(self, made: list[tuple[int, tuple[str, ...] | None]]) -> None:
        """One after the other, by hand: no gap over 30 minutes, no other campaign than the visit began with."""
        expected: list[list[int]] = []
        began: tuple[str, ...] | None = None
        before = -999
        for minute, campaign in made:
            if minute - before <= 30 and (campaign is None or campaign == began):
                expected[-1].append(minute)
            else:
                expected.append([minute])
                began = campaign
            before = minute
        found = stitch(hits(made))
        self.assertEqual([[h.item for h in v.hits] for v in found], expected)
        for visit, minutes in zip(found, expected, strict=True):
            self.assertEqual(visit.start, START + timedelta(minutes=minutes[0]))
            self.assertEqual(visit.end, START + timedelta(minutes=minutes[-1]))

    @given(moments, st.integers(0, 12))
    def test_in_two_parts_is_as_in_one(
        self, made: list[tuple[int, tuple[str, ...] | None]], cut: int
    ) -> None:
        whole = stitch(hits(made))
        first = stitch(hits(made[:cut]))
        last = first[-1] if first else None
        rest = stitch(hits(made[cut:]), open_visit=last)
        joined = [*first[:-1], *rest] if last else rest
        self.assertEqual(
            [(v.start, v.end, v.campaign) for v in joined], [(v.start, v.end, v.campaign) for v in whole]
        )

    def test_the_gap_to_the_second(self) -> None:
        end = START
        for seconds, holds in ((1800, True), (1801, False)):
            hit = Hit(end + timedelta(seconds=seconds), None, 0)
            self.assertEqual(continues(end, None, hit, DEFAULT_GAP), holds)
        self.assertTrue(continues(end, ("a",), Hit(end, ("a",), 0), DEFAULT_GAP))
        self.assertFalse(continues(end, None, Hit(end, ("a",), 0), DEFAULT_GAP))
        open_visit = Stretch[int](START, START, None)
        self.assertEqual(stitch([], open_visit=open_visit), [open_visit])


class Interactions(TestCase):
    def test_which_acts_are_marked(self) -> None:
        marked = {kind for kind in KINDS if is_interaction(kind, {})}
        self.assertEqual(marked, {"mark", "form", "shown", "step"})
        away = {
            w
            for w in ("outbound", "phone", "mail", "file", "link", "button", "")
            if is_interaction("click", {"what": w})
        }
        self.assertEqual(away, {"outbound", "phone", "mail", "file"})

    def test_a_bounce_is_one_view_and_nothing_else(self) -> None:
        for views in (0, 1, 2):
            for conversions in (0, 1):
                for interacted in (False, True):
                    expected = (views, conversions, interacted) == (1, 0, False)
                    self.assertEqual(is_bounce(views, conversions, interacted), expected)
