"""Why two counts of the same conversions differ: the steps from one way of counting to another.

An ad side claims a conversion for the last of its own clicks before it, knows nothing of other channels, and has a
window, a counting and a day of its own. From what Clabo saw, each of these can be counted anew; what they leave
unexplained stays a rest.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field, replace
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


@dataclass(frozen=True, slots=True)
class Placed:
    """A conversion as two sides would count it, or `count` that they would count alike, with their `value` together.

    `ours`: the day of the click that we claim it for, None for none. `theirs`: the visit of the click that they would, and
    its day by our midnight and by theirs.
    """

    at: datetime
    value: Decimal
    uncounted: bool
    ours: date | None
    theirs: tuple[int, date, date] | None
    count: int = 1


def together(conversions: Iterable[Placed]) -> list[Placed]:
    """The same with those that are counted alike as one, for a side that does not ask which click had one before."""
    found: dict[object, Placed] = {}
    for c in conversions:
        key = c.uncounted, c.ours, c.theirs and c.theirs[1:]
        known = found.get(key)
        found[key] = replace(known, value=known.value + c.value, count=known.count + c.count) if known else c
    return list(found.values())


def placed(conversion: Claimed, ours: Counting, theirs: Counting) -> Placed:
    """The latest click that each side has in its window; ours always holds the visit that the conversion happened in."""
    # A click's age is all that theirs knows.
    for_us = _latest(conversion, ours, own=True)
    for_them = _latest(conversion, theirs)
    day = None if for_us is None else for_us.start.astimezone(ours.zone).date()
    claim = None
    if for_them is not None:
        at = for_them.start
        claim = for_them.visit, at.astimezone(ours.zone).date(), at.astimezone(theirs.zone).date()
    return Placed(conversion.at, conversion.value, conversion.uncounted, day, claim)


def _latest(conversion: Claimed, how: Counting, own: bool = False) -> Click | None:
    earliest = conversion.at - timedelta(days=how.window_days)
    fitting = (
        c
        for c in reversed(conversion.clicks)
        if earliest <= c.start <= conversion.at or (own and c.visit == conversion.own)
    )
    return next(fitting, None)


def steps(conversions: Iterable[Placed], once: bool, first: date, last: date) -> Steps:
    """The counts from `first` to `last`, on the day of the click that is claimed; `once`: they count one a click at most.

    `shared`: every conversion with a click of the source in our window, whoever else had a part in it. `window`: in
    theirs. `counting`: once a click, if so. `days`: by their midnight. `uncounted`: with those of robots and own visits.
    """
    every = sorted(conversions, key=lambda c: c.at)
    counted = [c for c in every if not c.uncounted]
    theirs = _first_of_a_click(counted) if once else counted
    also_uncounted = _first_of_a_click(every) if once else every
    return Steps(
        *(
            _sums(((day(c), c) for c in some), first, last)
            for day, some in (
                (lambda c: c.ours, counted),
                (_by_our_midnight, counted),
                (_by_our_midnight, theirs),
                (_by_their_midnight, theirs),
                (_by_their_midnight, also_uncounted),
            )
        )
    )


def _by_our_midnight(conversion: Placed) -> date | None:
    return conversion.theirs and conversion.theirs[1]


def _by_their_midnight(conversion: Placed) -> date | None:
    return conversion.theirs and conversion.theirs[2]


def _first_of_a_click(conversions: Sequence[Placed]) -> list[Placed]:
    claimed: set[int] = set()
    found = []
    for conversion in conversions:
        if conversion.theirs and conversion.theirs[0] not in claimed:
            claimed.add(conversion.theirs[0])
            found.append(conversion)
    return found


def _sums(conversions: Iterable[tuple[date | None, Placed]], first: date, last: date) -> ByDay:
    found: defaultdict[date, int] = defaultdict(int)
    values: defaultdict[date, Decimal] = defaultdict(Decimal)
    for day, conversion in conversions:
        if day is not None and first <= day <= last:
            found[day] += conversion.count
            values[day] += conversion.value
    return {day: Tally(Decimal(n), values[day]) for day, n in found.items()}


def total(by_day: ByDay) -> Tally:
    """All days together."""
    found = Tally()
    for tally in by_day.values():
        found += tally
    return found
