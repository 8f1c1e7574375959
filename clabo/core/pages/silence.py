"""Has a page's tag stopped, or is it only quiet? Judged against its own weeks, and against what goes on beside it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, datetime, timedelta

import numpy as np
import scipy
from numpy.typing import NDArray

# So many false alarms a site and year are borne, over all that is watched on it.
ALARMS_A_YEAR = 0.5
LEAST_COUNT, LEAST_DAYS = 30, 7
# Nothing is doubted any more after so long.
LONGEST = timedelta(weeks=8)
# A silence that is hardly longer than others before it is none.
BEYOND_EARLIER = 1.25
# What is supposed of a level that drifts and of days that differ, as squared coefficients of variation, and how many
# weeks and days that is worth.
_DRIFT, _WEEKS_OF_DRIFT = 0.03, 6.0
_DAY, _DAYS_OF_DAY = 0.02, 10.0
# Of the variance of days, which is known from a few of them only, rather too much is believed.
_DOUBT = 1.7
_WEEKDAY_DAYS, _HOUR_COUNTS, _QUIET_HOURS = 0.25, 12.0, 0.1
_LEVELS = np.geomspace(0.002, 8.0, 160)

Cells = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Silence:
    """What was expected since the last one, the chance of none by chance, and the chance that is borne.

    `stopped`: it is smaller than that, and the silence longer than those before. `beyond_doubt`: it is smaller by as
    much again, so that not even a sign to the contrary explains it.
    """

    expected: float
    chance: float
    borne: float
    stopped: bool

    @property
    def beyond_doubt(self) -> bool:
        return self.stopped and self.chance < self.borne**2


@dataclass(frozen=True, slots=True)
class Rhythm:
    """How often something happens, by hour, and how much it varies beside chance.

    `hours`: expected of each hour, weekdays (rows, Monday first) by hours of the day, at the level of the last week.
    `level`: how many counts' worth is known of that level. `days`: the variance of a day's own factor. `longest`: the
    longest silence before but one, in what was expected in it. `per_day`: how many came in the mean.
    """

    hours: Cells
    level: float
    days: float
    longest: float
    per_day: float

    @classmethod
    def of(cls, counts: Sequence[Sequence[float]] | Cells, first: date) -> Rhythm | None:
        """From counts by day and hour of the day in the site's time zone, the oldest day first.

        None where there are fewer than 30, or fewer than seven days: too few to know when it should come.
        A weekday's level is drawn a little towards all days', the hours of weekends towards those of all days.
        """
        cells = np.asarray(counts, float).reshape(-1, 24)
        total = float(cells.sum())
        if len(cells) < LEAST_DAYS or total < LEAST_COUNT:
            return None
        weekdays = (np.arange(len(cells)) + first.weekday()) % 7
        mean = total / len(cells)
        by_weekday = np.array(
            [
                (cells[weekdays == w].sum() + _WEEKDAY_DAYS * mean) / ((weekdays == w).sum() + _WEEKDAY_DAYS)
                for w in range(7)
            ]
        )
        pooled = _shares(cells.sum(axis=0), np.full(24, _QUIET_HOURS / 24), 1.0)
        working = _shares(cells[weekdays < 5].sum(axis=0), pooled, _HOUR_COUNTS)
        weekend = _shares(cells[weekdays >= 5].sum(axis=0), pooled, _HOUR_COUNTS)
        hours = by_weekday[:, None] * np.array([working] * 5 + [weekend] * 2)
        expected, seen = by_weekday[weekdays], cells.sum(axis=1)
        weeks = np.arange(len(cells))[::-1] // 7
        of_week = [(seen[weeks == w].sum(), expected[weeks == w].sum()) for w in range(weeks.max() + 1)]
        drift = _beyond_chance(of_week, _DRIFT, _WEEKS_OF_DRIFT)
        levels = np.array([(1 / drift + s) / (1 / drift + e) for s, e in of_week])
        days = _beyond_chance(list(zip(seen, expected * levels[weeks], strict=True)), _DAY, _DAYS_OF_DAY)
        return cls(
            hours=hours * levels[0],
            level=1 / drift + of_week[0][0],
            days=_DOUBT * days,
            longest=_longest(cells, hours[weekdays]),
            per_day=mean,
        )

    def between(self, start: datetime, end: datetime) -> dict[date, float]:
        """What is expected between two times of the site's time zone, by day."""
        found: dict[date, float] = {}
        while start < end:
            until = min(end, start.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1))
            part = (until - start).total_seconds() / 3600
            day = start.date()
            found[day] = found.get(day, 0.0) + part * float(self.hours[start.weekday(), start.hour])
            start = until
        return found

    def expected(
        self, start: datetime, end: datetime, absent: Iterable[tuple[datetime, datetime]] = ()
    ) -> dict[date, float]:
        """The same without the times of `absent`, in which nobody was there to take a hit in."""
        found: dict[date, float] = {}
        for of, until in _without(start, end, absent):
            for day, much in self.between(of, until).items():
                found[day] = found.get(day, 0.0) + much
        return found


def beside(seen: float, expected: float) -> float:
    """The part of the usual that goes on beside it, from what came there and what was expected: 1 at most.

    A holiday or the end of a campaign leaves its mark elsewhere too. Little that is expected says little of it.
    """
    return min(1.0, (seen + 2) / (expected + 2))


def silence(
    rhythm: Rhythm,
    last: datetime,
    now: datetime,
    watched: int = 1,
    absent: Iterable[tuple[datetime, datetime]] = (),
    part: float = 1.0,
) -> Silence:
    """How unusual it is that nothing has come since `last`; times in the site's time zone.

    Parameters
    ----------
    rhythm : Rhythm
        Of the weeks before `last`.
    last, now : datetime
        With time zone.
    watched : int
        How many are watched on the site: the alarms that are borne are divided among them.
    absent : iterable of (datetime, datetime)
        When nobody was there to take a hit in: none is expected then.
    part : float
        The part of the usual that goes on beside it (`beside`).

    Notes
    -----
    Counts are Poisson, with a level that drifts from week to week and a factor of each day, both gamma (a negative binomial
    count; compare Noufaily et al., Statistics in Medicine 32 (2013) 1206-1222). With E_d expected on day d, level L and
    variance v of a day's factor, the chance of none is

        E_L [ Π_d (1 + v · L · E_d)^(-1/v) ]

    Each count begins a silence of its own, so that in a year as many could be alarms: the chance has to lie below
    ALARMS_A_YEAR / (watched · counts a year).
    """
    by_day = rhythm.expected(last, min(now, last + LONGEST), absent)
    expected = sum(by_day.values())
    weight = scipy.stats.gamma.logpdf(_LEVELS, rhythm.level, scale=1 / rhythm.level) + np.log(_LEVELS)
    weight = np.exp(weight - weight.max())
    none = np.zeros(len(_LEVELS))
    for much in by_day.values():
        none -= np.log1p(rhythm.days * part * _LEVELS * much) / rhythm.days
    chance = float((weight * np.exp(none)).sum() / weight.sum())
    borne = ALARMS_A_YEAR / (max(1, watched) * max(1.0, rhythm.per_day * 365))
    stopped = chance < borne and expected > BEYOND_EARLIER * rhythm.longest
    return Silence(expected * part, chance, borne, stopped)


def _shares(counts: Cells, prior: Cells, weight: float) -> Cells:
    """Parts of hours, drawn to others by so many counts."""
    return np.asarray((counts + weight * prior) / (counts.sum() + weight * prior.sum()))


def _beyond_chance(pairs: Sequence[tuple[float, float]], supposed: float, weight: float) -> float:
    """The squared coefficient of variation beside a Poisson's, of counts and what was expected, drawn to `supposed`."""
    rough = sum((s - e) ** 2 - e for s, e in pairs)
    size = sum(e * e for _, e in pairs)
    freedom = max(0, len(pairs) - 1)
    found = max(0.0, rough / size * len(pairs) / freedom) if size and freedom else 0.0
    return (freedom * found + weight * supposed) / (freedom + weight)


def _longest(cells: Cells, expected: Cells) -> float:
    """The longest silence but one: of one that was no chance nothing should be learnt."""
    lengths, run = [0.0, 0.0], 0.0
    for came, much in zip(cells.ravel(), expected.ravel(), strict=True):
        if came:
            lengths.append(run)
            run = 0.0
        else:
            run += much
    return sorted(lengths)[-2]


def _without(
    start: datetime, end: datetime, absent: Iterable[tuple[datetime, datetime]]
) -> Iterator[tuple[datetime, datetime]]:
    """The parts of a span that lie in none of `absent`."""
    for away, back in sorted(absent):
        if away > start:
            yield start, min(away, end)
        start = max(start, back.astimezone(start.tzinfo))
    yield start, end
