"""When silence is more than quiet."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.pages.silence import ALARMS_A_YEAR, Rhythm, beside, silence

MONDAY = date(2026, 10, 5)
NOON = datetime(2026, 11, 30, 12, tzinfo=UTC)
MIDNIGHT = NOON.replace(hour=0)


def steady(*week: list[float], weeks: int = 8) -> Rhythm:
    """Weeks without any chance, each day as the one of `week` at its place."""
    rhythm = Rhythm.of([week[d % len(week)] for d in range(7 * weeks)], MONDAY)
    assert rhythm
    return rhythm


class Silent(TestCase):
    def test_what_is_expected_is_what_came(self) -> None:
        chance = np.random.default_rng(2)
        week = np.array([[2.0 * (8 <= h < 18) for h in range(24)]] * 5 + [[0.0] * 24] * 2)
        rhythm = Rhythm.of(chance.poisson([week[d % 7] for d in range(56)]), MONDAY)
        assert rhythm
        days = rhythm.expected(MIDNIGHT, MIDNIGHT + timedelta(weeks=1))
        self.assertEqual(len(days), 7)
        self.assertAlmostEqual(sum(days.values()), 100, delta=8)
        night = sum(rhythm.expected(MIDNIGHT - timedelta(hours=6), MIDNIGHT + timedelta(hours=8)).values())
        self.assertLess(night, 0.5)
        half = rhythm.expected(NOON + timedelta(minutes=15), NOON + timedelta(minutes=45))
        whole = rhythm.expected(NOON, NOON + timedelta(hours=1))
        self.assertAlmostEqual(sum(half.values()), sum(whole.values()) / 2)

    def test_little_says_nothing(self) -> None:
        self.assertIsNone(Rhythm.of([[2.0] * 24] * 6, MONDAY))
        self.assertIsNone(Rhythm.of([[0.04] * 24] * 28, MONDAY))
        self.assertIsNone(Rhythm.of([], MONDAY))

    def test_a_busy_page_that_falls_silent_at_noon_is_noticed_within_the_hour(self) -> None:
        """Four hundred a day, by day only: silence at night is nothing, an hour at noon is enough."""
        busy = steady([26.0 if 8 <= hour < 23 else 0.1 for hour in range(24)])
        self.assertFalse(silence(busy, NOON, NOON + timedelta(minutes=10), 20).stopped)
        self.assertTrue(silence(busy, NOON, NOON + timedelta(minutes=58), 20).stopped)
        night = MIDNIGHT + timedelta(hours=23)
        self.assertFalse(silence(busy, night, night + timedelta(hours=7), 20).stopped)

    def test_where_nobody_was_there_nothing_is_expected(self) -> None:
        """Away for all but six minutes of an hour."""
        even, hour = steady([10.0] * 24), timedelta(hours=1)
        away = [
            (NOON - hour, NOON + hour / 2),
            (NOON + hour / 4, NOON + hour * 0.9),
            (NOON + hour, NOON + 9 * hour),
        ]
        found = silence(even, NOON, NOON + hour, absent=away)
        self.assertAlmostEqual(found.expected, silence(even, NOON, NOON + hour).expected / 10)
        self.assertEqual(silence(even, NOON, NOON + hour, absent=[(NOON, NOON + hour)]).chance, 1.0)

    def test_a_quiet_page_is_given_its_time(self) -> None:
        """One each twelve hours: after three days nothing is said, after three weeks it is."""
        quiet = steady([float(hour in (9, 21)) for hour in range(24)])
        self.assertFalse(silence(quiet, NOON, NOON + timedelta(days=3)).stopped)
        self.assertTrue(silence(quiet, NOON, NOON + timedelta(days=21)).stopped)

    def test_what_goes_on_beside_it_explains_it(self) -> None:
        """A holiday: a twentieth of the usual comes elsewhere too. Elsewhere as ever: nothing is explained."""
        page = steady([2.0] * 24)
        end = NOON + timedelta(hours=14)
        self.assertTrue(silence(page, NOON, end, 10).stopped)
        self.assertFalse(silence(page, NOON, end, 10, part=beside(50, 1000)).stopped)
        self.assertTrue(silence(page, NOON, end, 10, part=beside(1100, 1000)).stopped)
        self.assertEqual(beside(0, 0), 1.0)

    def test_silences_that_have_been_before_are_none(self) -> None:
        """Every third day lies fallow, on no weekday of its own."""
        fallow = Rhythm.of([[0.0 if d % 3 == 0 else 2.0] * 24 for d in range(56)], MONDAY)
        assert fallow
        self.assertFalse(silence(fallow, NOON, NOON + timedelta(hours=24), 10).stopped)
        self.assertTrue(silence(fallow, NOON, NOON + timedelta(days=9), 10).stopped)

    @given(
        st.lists(st.integers(0, 9), min_size=24 * 14, max_size=24 * 14),
        st.integers(1, 60),
        st.integers(1, 200),
    )
    @settings(max_examples=30, deadline=None)
    def test_the_chance_is_that_of_levels_drawn(self, counts: list[int], watched: int, hours: int) -> None:
        rhythm = Rhythm.of(np.reshape(counts, (14, 24)), MONDAY)
        if rhythm is None:
            return
        end = NOON + timedelta(hours=hours)
        found = silence(rhythm, NOON, end, watched)
        days = np.array(list(rhythm.expected(NOON, end).values()))
        chance = np.random.default_rng(1)
        levels = chance.gamma(rhythm.level, 1 / rhythm.level, 40_000)
        factors = chance.gamma(1 / rhythm.days, rhythm.days, (40_000, len(days)))
        drawn = float(np.exp(-levels * (factors @ days)).mean())
        self.assertAlmostEqual(found.chance, drawn, delta=0.01 + 0.05 * drawn)
        self.assertAlmostEqual(found.borne, ALARMS_A_YEAR / (watched * sum(counts) / 14 * 365))
        self.assertLessEqual(found.stopped, found.chance < found.borne)
