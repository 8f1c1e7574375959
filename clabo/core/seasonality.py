"""Has a page's tag stopped, or is it only quiet? Judged against the page's own week.

Views of a page are taken as a Poisson process whose rate depends on the hour of the week. With E views expected
since the last one, the chance of seeing none is exp(-E).
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

HOURS = 168
# False alarms over all the pages of a site and all the hours of a week: about one a year.
ALARM = 1e-4
LEAST_VIEWS = 30


@dataclass(frozen=True, slots=True)
class Silence:
    """How long a page has been silent, the views expected in that time, and the chance of none by chance."""

    expected: float
    chance: float
    stopped: bool


def hour_of_week(time: datetime) -> int:
    """0 for Monday's first hour, 167 for Sunday's last, in the time zone that `time` carries."""
    return time.weekday() * 24 + time.hour


def rates(views: Sequence[float], weeks: float) -> list[float]:
    """Views per hour for each hour of the week, from counts over `weeks` weeks.

    Each hour borrows a tenth from each neighbour and is mixed with the week's mean as if by one view: four weeks
    are too few to trust an hour's own count alone. More would carry the evening's traffic into a silent night.
    """
    if len(views) != HOURS:
        raise ValueError("views: one count for each of 168 hours")
    mean = sum(views) / HOURS / weeks
    if not mean:
        return [0.0] * HOURS
    found = []
    for hour in range(HOURS):
        smooth = 0.1 * views[hour - 1] + 0.8 * views[hour] + 0.1 * views[(hour + 1) % HOURS]
        # A gamma prior of one view at the mean rate.
        found.append((smooth + 1) / (weeks + 1 / mean))
    return found


def silence(
    views: Sequence[float],
    weeks: float,
    last: datetime,
    now: datetime,
    pages: int = 1,
    absent: Iterable[tuple[datetime, datetime]] = (),
) -> Silence:
    """How unusual it is that nothing has come since `last`; times in the site's time zone.

    In the times of `absent` nobody was there to take a view in: none is expected then. `pages` is how many pages are watched: the alarm is divided among them (Bonferroni). Under 30 views in the
    weeks looked at, nothing is called stopped.
    """
    by_hour = rates(views, weeks)
    # After eight weeks there is nothing left to doubt.
    expected = sum(
        _expected(by_hour, start, end)
        for start, end in _without(last, min(now, last + timedelta(weeks=8)), absent)
    )
    chance = math.exp(-expected)
    stopped = sum(views) >= LEAST_VIEWS and chance < ALARM / max(1, pages)
    return Silence(expected, chance, stopped)


def _expected(by_hour: Sequence[float], time: datetime, end: datetime) -> float:
    """Views expected from `time` to `end`."""
    expected = 0.0
    while time < end:
        until = min(end, time.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1))
        expected += by_hour[hour_of_week(time)] * (until - time).total_seconds() / 3600
        time = until
    return expected


def _without(
    start: datetime, end: datetime, absent: Iterable[tuple[datetime, datetime]]
) -> Iterator[tuple[datetime, datetime]]:
    """The parts of a span that lie in none of `absent`."""
    for away, back in sorted(absent):
        if away > start:
            yield start, min(away, end)
        start = max(start, back.astimezone(start.tzinfo))
    yield start, end
