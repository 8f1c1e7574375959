"""The days that a period means, as it stands in an address and in saved views: it moves with today."""

from __future__ import annotations

import re
from collections.abc import Callable
from datetime import date, timedelta

_LAST_DAYS = re.compile(r"([1-9]\d{0,4})d")


def _month_before(today: date) -> tuple[date, date]:
    last = today.replace(day=1) - timedelta(days=1)
    return last.replace(day=1), last


# Weeks begin on Monday (ISO 8601).
NAMED: dict[str, Callable[[date], tuple[date, date]]] = {
    "today": lambda today: (today, today),
    "yesterday": lambda today: (today - timedelta(days=1), today - timedelta(days=1)),
    "this-week": lambda today: (today - timedelta(days=today.weekday()), today),
    "last-week": lambda today: (
        today - timedelta(days=today.weekday() + 7),
        today - timedelta(days=today.weekday() + 1),
    ),
    "this-month": lambda today: (today.replace(day=1), today),
    "last-month": _month_before,
}


def read_period(text: str, today: date) -> tuple[date, date]:
    """The first and the last day, both included.

    `text` is a number of days up to today ("28d"), one of NAMED, or two dates ("2026-10-01..2026-10-31"). Raises
    ValueError where it is none of these.

    >>> read_period("last-month", date(2026, 3, 15))
    (datetime.date(2026, 2, 1), datetime.date(2026, 2, 28))
    """
    if text in NAMED:
        return NAMED[text](today)
    if found := _LAST_DAYS.fullmatch(text):
        return today - timedelta(days=int(found[1]) - 1), today
    first, between, last = text.partition("..")
    if not between:
        raise ValueError(f"{text[:40]!r} is no period")
    return date.fromisoformat(first), date.fromisoformat(last)
