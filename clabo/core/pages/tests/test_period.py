"""What days a period means."""

from __future__ import annotations

import calendar
from datetime import date, timedelta
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.pages.period import NAMED, read_period

DAYS = st.dates(date(2020, 1, 1), date(2040, 12, 31))


class Periods(TestCase):
    @given(DAYS)
    def test_by_the_calendar(self, today: date) -> None:
        def days(name: str) -> list[date]:
            first, last = read_period(name, today)
            return [first + timedelta(days=n) for n in range((last - first).days + 1)]

        self.assertEqual(days("today"), [today])
        self.assertEqual(days("yesterday"), [today - timedelta(days=1)])
        year, week, _ = today.isocalendar()
        self.assertEqual(days("this-week")[0], date.fromisocalendar(year, week, 1))
        self.assertEqual(days("last-week")[-1] + timedelta(days=1), days("this-week")[0])
        self.assertEqual(len(days("last-week")), 7)
        self.assertEqual(len(days("this-month")), today.day)
        month = days("last-month")
        self.assertEqual(len(month), calendar.monthrange(month[0].year, month[0].month)[1])
        self.assertEqual(month[-1] + timedelta(days=1), days("this-month")[0])
        self.assertEqual(len(days("28d")), 28)
        for name in NAMED:
            self.assertLessEqual(days(name)[-1], today)

    @given(DAYS, DAYS)
    def test_two_dates(self, first: date, last: date) -> None:
        self.assertEqual(read_period(f"{first}..{last}", date(2026, 1, 1)), (first, last))

    def test_what_is_no_period(self) -> None:
        for text in ("", "d", "0d", "-3d", "28", "tomorrow", "2026-01-01", "..", "2026-13-01..2026-01-01"):
            with self.assertRaises(ValueError, msg=text):
                read_period(text, date(2026, 1, 1))
