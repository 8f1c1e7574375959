"""Why two counts of the same conversions differ: the steps from one way of counting to another.

An ad side claims a conversion for the last of its own clicks before it, knows nothing of other channels, and has a
window, a counting and a day of its own. From what Clabo saw, each of these can be counted anew; what they leave
unexplained stays a rest.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Literal
from zoneinfo import ZoneInfo

Part = Literal["shared", "window", "counting", "days", "uncounted", "view_through"]


@dataclass(frozen=True, slots=True)
class Tally:
    """Conversions, in parts where a model shares, and their value."""

    conversions: Decimal = Decimal(0)
    value: Decimal = Decimal(0)

    def __add__(self, other: Tally) -> Tally:
        return Tally(self.conversions + other.conversions, self.value + other.value)

    def __sub__(self, other: Tally) -> Tally:
        return Tally(self.conversions - other.conversions, self.value - other.value)


ByDay = dict[date, Tally]


@dataclass(frozen=True, slots=True)
class Click:
    """A visit that came by one source's ad."""

    visit: int
    start: datetime


@dataclass(frozen=True, slots=True)
class Claimed:
    """A conversion and the clicks of one source before it, oldest first. `own`: the visit that it happened in."""

    at: datetime
    value: Decimal
    clicks: Sequence[Click]
    own: int | None = None
    # Of a robot, or an own visit: Clabo leaves it out.
    uncounted: bool = False


@dataclass(frozen=True, slots=True)
class Counting:
    """How a side counts: its window in days, whether a click has one conversion at most, and whose days."""

    window_days: int
    once: bool
    zone: ZoneInfo


@dataclass(frozen=True, slots=True)
class Steps:
    """One source's count by day, from Clabo's to what its ads may claim; each step changes one thing.

    `claimed` is what is left to compare with the ad side's own number.
    """

    shared: ByDay = field(default_factory=dict)
    window: ByDay = field(default_factory=dict)
    counting: ByDay = field(default_factory=dict)
    days: ByDay = field(default_factory=dict)
    uncounted: ByDay = field(default_factory=dict)

    @property
    def claimed(self) -> ByDay:
        return self.uncounted


def steps(conversions: Iterable[Claimed], ours: Counting, theirs: Counting, first: date, last: date) -> Steps:
    """The counts from `first` to `last`, on the day of the click that is claimed.

    `shared`: every conversion with a click of the source in our window, whoever else had a part in it. `window`: in
    theirs. `counting`: once a click, if so. `days`: by their midnight. `uncounted`: with those of robots and own visits.
    """
    every = sorted(conversions, key=lambda c: c.at)
    counted = [c for c in every if not c.uncounted]
    by_window = Counting(theirs.window_days, False, ours.zone)
    by_counting = Counting(theirs.window_days, theirs.once, ours.zone)
    within = (first, last)
    return Steps(
        # Our window always holds the visit that the conversion happened in; a click's age is all that theirs knows.
        _count(counted, ours, within, own=True),
        _count(counted, by_window, within),
        _count(counted, by_counting, within),
        _count(counted, theirs, within),
        _count(every, theirs, within),
    )


def _count(
    conversions: Sequence[Claimed], how: Counting, within: tuple[date, date], own: bool = False
) -> ByDay:
    found: defaultdict[date, int] = defaultdict(int)
    values: defaultdict[date, Decimal] = defaultdict(Decimal)
    claimed: set[int] = set()
    window = timedelta(days=how.window_days)
    for conversion in conversions:
        earliest = conversion.at - window
        fitting = (
            c
            for c in reversed(conversion.clicks)
            if earliest <= c.start <= conversion.at or (own and c.visit == conversion.own)
        )
        latest = next(fitting, None)
        if latest is None:
            continue
        if how.once:
            if latest.visit in claimed:
                continue
            claimed.add(latest.visit)
        day = latest.start.astimezone(how.zone).date()
        if within[0] <= day <= within[1]:
            found[day] += 1
            values[day] += conversion.value
    return {day: Tally(Decimal(n), values[day]) for day, n in found.items()}


def total(by_day: ByDay) -> Tally:
    """All days together."""
    found = Tally()
    for tally in by_day.values():
        found += tally
    return found
