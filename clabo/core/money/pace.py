"""What a month's ads will have cost by its end, from what they cost so far (definitions: "Money")."""

from __future__ import annotations

import calendar
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from clabo.core.evidence import Interval

# So many days say how a week goes and how the level moves; with fewer than LEAST_DAYS nothing is said.
DAYS, LEAST_DAYS = 56, 14
# As sure as that, or a month is said to be on pace: it is read every day.
SURE = 0.998
# Under so much of its budget a month has left some of it.
SHORT = 0.9
LEVEL = 0.9
_DRAWS = 4000
# How far the level moves in a day, as the variance of a day's noise: from hardly, for it never stands still, to as much.
_MOVES: NDArray[np.float64] = np.geomspace(5e-3, 1.0, 16)

Floats = NDArray[np.float64]
Standing = Literal["over", "short", "on_pace", "too_early"]


@dataclass(frozen=True, slots=True)
class Pace:
    """A month under a budget, in the budget's currency.

    `spent` up to and with the day `through`; `expected` by the end of the month, at 90 %, None where too little is known.
    `sure_over` and `sure_short` are the chances that it ends above the budget, or below SHORT of it. `over_on`: the day on
    which it is expected to have spent the budget.
    """

    spent: float
    through: date
    expected: Interval | None
    sure_over: float
    sure_short: float
    over_on: date | None
    standing: Standing


def month_end(day: date) -> date:
    """The last day of its month.

    Examples
    --------
    >>> month_end(date(2024, 2, 3))
    datetime.date(2024, 2, 29)
    """
    return day.replace(day=calendar.monthrange(day.year, day.month)[1])


def pace(costs: Sequence[float], through: date, budget: float, month: date | None = None) -> Pace:
    """How a month stands against its budget.

    Parameters
    ----------
    costs : sequence of float
        What was spent on each day up to and with `through`, the oldest first, without gaps: 0 where nothing was.
    through : date
        The last day whose spend is known.
    budget : float
        Above 0.
    month : date, optional
        Any day of the month; that of `through` if it is not said.

    Returns
    -------
    Pace
        `over` and `short` are said at a chance of SURE or more.

    Raises
    ------
    ValueError
        For a budget of 0 or less.

    Notes
    -----
    A day's cost, over the usual part of its weekday, is a level that moves as a random walk, and noise (local level model;
    Durbin & Koopman, Time Series Analysis by State Space Methods, 2nd ed. 2012, chapter 2). How much of it is which is not
    known: each ratio on a grid counts by its likelihood, with the scale integrated out (Student's t). The sum of the days
    to come is drawn from that mixture, with a seed of its own, so that the same days give the same answer.

    Examples
    --------
    >>> found = pace([10.0] * 40, date(2026, 11, 20), 250.0)
    >>> found.spent, found.standing, found.over_on
    (200.0, 'over', datetime.date(2026, 11, 26))
    """
    if budget <= 0:
        raise ValueError("budget: above 0")
    begin = (month or through).replace(day=1)
    so_far = max(0, (through - begin).days + 1)
    known = np.asarray(costs[-max(DAYS, so_far) :], dtype=np.float64)
    of_month = known[len(known) - so_far :]
    spent = float(of_month.sum())
    tomorrow, last = max(begin, through + timedelta(days=1)), month_end(begin)
    ahead = [tomorrow + timedelta(days=n) for n in range((last - tomorrow).days + 1)]
    over_on = _passed(of_month, through, budget) if spent > budget else None
    # What came before anything was ever spent says nothing of how it goes on.
    lived = np.trim_zeros(known[-DAYS:], "f")
    if ahead and len(lived) < LEAST_DAYS:
        standing: Standing = "over" if over_on else "too_early"
        return Pace(spent, through, None, float(spent > budget), 0.0, over_on, standing)
    first = through - timedelta(days=len(lived) - 1)
    middle, drawn = _to_come(lived, first, ahead)
    whole = spent + drawn
    sure_over, sure_short = float(np.mean(whole > budget)), float(np.mean(whole < SHORT * budget))
    if over_on is None and ahead:
        reached = np.flatnonzero(spent + np.cumsum(middle) > budget)
        over_on = ahead[reached[0]] if len(reached) else None
    low, high = np.quantile(whole, [(1 - LEVEL) / 2, (1 + LEVEL) / 2])
    expected = Interval(float(low), float(np.median(whole)), float(high))
    standing = "over" if sure_over >= SURE else "short" if sure_short >= SURE else "on_pace"
    return Pace(spent, through, expected, sure_over, sure_short, over_on, standing)


def _passed(costs: Floats, through: date, budget: float) -> date:
    """The first day of the month with which its sum is above the budget."""
    place = int(np.flatnonzero(np.cumsum(costs) > budget)[0])
    return through - timedelta(days=len(costs) - 1 - place)


def _to_come(costs: Floats, first: date, ahead: Sequence[date]) -> tuple[Floats, Floats]:
    """What each of the days ahead is expected to cost, and draws of their sum."""
    if not ahead:
        return np.zeros(0), np.zeros(1)
    weekdays = np.array([(first + timedelta(days=n)).weekday() for n in range(len(costs))])
    usual = _weekdays(costs, weekdays)
    with np.errstate(invalid="ignore"):
        levels, variances, squares, weights = _filtered(costs / usual[weekdays])
    parts = usual[[day.weekday() for day in ahead]]
    # A move of the level on one day counts on all after it.
    after = np.cumsum(parts[::-1])[::-1]
    spread = variances * parts.sum() ** 2 + _MOVES * (after**2).sum() + (parts**2).sum()
    chance = np.random.default_rng(1)
    at = chance.choice(len(_MOVES), _DRAWS, p=weights)
    free = int(np.count_nonzero(usual[weekdays])) - 1
    # Spend grows by factors and falls by amounts: upwards log-normal with the same median and spread, downwards normal.
    middle = np.maximum(levels[at] * parts.sum(), 1e-9)
    scale = np.sqrt(squares[at] / chance.chisquare(free, _DRAWS) * spread[at])
    z = chance.standard_normal(_DRAWS)
    above = middle * np.exp(np.sqrt(np.log1p((scale / middle) ** 2)) * np.maximum(z, 0))
    drawn = np.where(z < 0, np.maximum(middle + scale * z, 0.0), above)
    return max(0.0, float(weights @ levels)) * parts, drawn


def _weekdays(costs: Floats, weekdays: NDArray[np.int64]) -> Floats:
    """Each weekday's part of a usual day, drawn towards it by the weight of one such day; 0 on which ads never run."""
    mean, times = float(costs.mean()), np.bincount(weekdays, minlength=7)
    if mean <= 0:
        return np.ones(7)
    sums = np.bincount(weekdays, costs, 7)
    return np.where((times >= 2) & (sums == 0), 0.0, (sums + mean) / (times + 1) / mean)


def _filtered(values: Floats) -> tuple[Floats, Floats, Floats, Floats]:
    """The Kalman filter for every ratio of _MOVES at once: last level, its variance and the sum of squares over a day's
    noise, and how much each ratio counts."""
    seen = np.flatnonzero(np.isfinite(values))
    level = np.full(len(_MOVES), values[seen[0]])
    variance = np.ones(len(_MOVES))
    squares, logs = np.zeros(len(_MOVES)), np.zeros(len(_MOVES))
    for value in values[seen[0] + 1 :]:
        variance = variance + _MOVES
        # On a day on which ads never run nothing is seen of the level.
        if not np.isfinite(value):
            continue
        total = variance + 1
        error = value - level
        level = level + variance / total * error
        variance = variance / total
        squares += error**2 / total
        logs += np.log(total)
    # Days that were all alike leave no noise: as little as a thousandth of the level is supposed.
    mean = max(float(values[seen].mean()), 1e-9)
    squares = np.maximum(squares, len(seen) * (1e-3 * mean) ** 2)
    likelihood = -0.5 * (logs + (len(seen) - 1) * np.log(squares))
    weights = np.exp(likelihood - likelihood.max())
    return level, variance, squares, weights / weights.sum()
