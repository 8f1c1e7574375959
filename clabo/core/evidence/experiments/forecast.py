"""When a running test will be decided, with the spread of that, from what has come so far."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clabo.core.evidence.experiments.daily import LEAST_STEP, bounds, information, looks_level
from clabo.core.evidence.types import Counts, alpha_of

FUTURES = 400
# Further ahead nobody plans.
MOST_DAYS = 180
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Forecast:
    """Days from now to the decision: 10 %, half and 90 % of the futures are decided by then; None where they are not.

    `undecided`: the part of the futures that is open at the planned end. `days`: from now to that end.
    """

    early: int | None
    middle: int | None
    late: int | None
    undecided: float
    days: int


def forecast(
    arms: Sequence[Counts],
    per_day: Sequence[float],
    needed: float,
    worth: float,
    looked: Sequence[Sequence[float]],
    level: float = 0.95,
    seed: int = 0,
) -> Forecast | None:
    """The day of the decision, over futures that fit what has been seen.

    Each future draws the arms' rates from their posteriors (Jeffreys' prior), lets days go by (visitors Poisson, those who
    convert binomial) and reads each midnight as `looks` does. (Predictive power: Spiegelhalter, Freedman & Blackburn,
    Controlled Clinical Trials 7 (1986) 8-17, here of the day rather than of the end.)

    Parameters
    ----------
    arms : sequence of Counts
        Converted and visitors so far, the control first.
    per_day : sequence of float
        Visitors a day to be expected, by arm.
    needed : float
        Visitors of all arms at the planned end.
    worth : float
        The smallest difference worth having, absolute.
    looked : sequence of sequence of float
        For each challenger the information times of the looks so far.
    level : float
        Of one challenger: 1 - α/m.
    seed : int
        Of the futures.

    Returns
    -------
    Forecast
        None where nobody comes, or the planned end is past or too far.

    Raises
    ------
    ValueError
        When the arms do not fit together.

    Examples
    --------
    >>> f = forecast([Counts(40, 1000), Counts(60, 1000)], [100, 100], 6000, 0.012, [[0.3]])
    >>> f.early <= f.middle, f.days
    (True, 20)
    """
    if not len(arms) == len(per_day) == len(looked) + 1:
        raise ValueError("arms: give visitors a day for each, and looks for each challenger")
    come, each_day = sum(a.trials for a in arms), math.fsum(per_day)
    if each_day <= 0 or come >= needed:
        return None
    days = math.ceil((needed - come) / each_day)
    if days > MOST_DAYS:
        return None
    chance = np.random.default_rng(seed)
    sizes, hits = [], []
    for arm, daily in zip(arms, per_day, strict=True):
        rate = chance.beta(arm.conversions + 0.5, arm.trials - arm.conversions + 0.5, FUTURES)
        coming = chance.poisson(daily, (FUTURES, days))
        sizes.append(arm.trials + np.cumsum(coming, axis=1).astype(float))
        hits.append(arm.conversions + np.cumsum(chance.binomial(coming, rate[:, None]), axis=1).astype(float))
    lows, highs = [], []
    for place, before in enumerate(looked, start=1):
        edges = _future_bounds(arms, per_day, place, needed, before, days, level)
        low, high = _ranges(sizes[0], hits[0], sizes[place], hits[place], edges)
        lows.append(low)
        highs.append(high)
    low, high = np.array(lows), np.array(highs)
    better = (low > 0).any(axis=0)
    none = ((low > -worth) & (high < worth)).all(axis=0)
    worse = (high < worth).all(axis=0)
    decided: NDArray[np.bool_] = np.asarray(better | none | worse)
    first = np.where(decided.any(axis=1), decided.argmax(axis=1) + 1, days + 1)
    quantiles = [int(np.sort(first)[math.ceil(q * FUTURES) - 1]) for q in (0.1, 0.5, 0.9)]
    early, middle, late = (None if d > days else d for d in quantiles)
    return Forecast(early, middle, late, float((first > days).mean()), days)


def _future_bounds(
    arms: Sequence[Counts],
    per_day: Sequence[float],
    place: int,
    needed: float,
    before: Sequence[float],
    days: int,
    level: float,
) -> Floats:
    """The critical value at the end of each coming day, at the information that is to be expected then.

    Visitors so far and a day are taken to three digits: critical values depend on them little, and what was worked out for
    them once holds for a while.
    """
    share = [daily / math.fsum(per_day) for daily in per_day]
    planned = information(needed * share[0], needed * share[place])
    times = list(before)
    found, where = np.full(days, np.inf), []
    for day in range(1, days + 1):
        sizes = [_rough(arms[i].trials) + _rough(per_day[i]) * day for i in (0, place)]
        time = information(*sizes) / planned
        if (not times or time - times[-1] >= LEAST_STEP) and (not times or times[-1] < 1):
            times.append(time)
            where.append(day - 1)
    for day, edge in zip(where, bounds(times, alpha_of(looks_level(level)))[len(before) :], strict=True):
        found[day] = edge
    return found


def _rough(value: float) -> float:
    return float(f"{value:.2e}")


def _ranges(n0: Floats, x0: Floats, n1: Floats, x1: Floats, edges: Floats) -> tuple[Floats, Floats]:
    """Lower and upper limits by future and day, with the error of `means.standard_error`."""
    with np.errstate(divide="ignore", invalid="ignore"):
        p0, p1, both = x0 / n0, x1 / n1, (x0 + x1) / (n0 + n1)
        own = p0 * (1 - p0) / (n0 - 1) + p1 * (1 - p1) / (n1 - 1)
        common = both * (1 - both) * (1 / n0 + 1 / n1)
        reach = edges * np.sqrt(np.maximum(own, common))
        gap = p1 - p0
    # As a look is left out where too few have converted.
    thin = np.minimum(np.minimum(x0, x1), np.minimum(n0 - x0, n1 - x1)) < 5
    unknown = thin | ~np.isfinite(gap + reach)
    return np.where(unknown, -np.inf, gap - reach), np.where(unknown, np.inf, gap + reach)


RUNS = 1000


@dataclass(frozen=True, slots=True)
class DryRun:
    """A test of no difference, played over and over on a site's own days.

    `alarms`: the part of the runs that called a difference on some day up to the planned end; `decided`: by the end of each
    day, the part that had come to any decision.
    """

    runs: int
    alarms: float
    decided: list[float]


def dry_run(
    days: Sequence[tuple[int, int]],
    shares: Sequence[int],
    needed: float,
    worth: float,
    level: float = 0.95,
    runs: int = RUNS,
    seed: int = 0,
) -> DryRun | None:
    """The same test as if all its variants had been the control, on days as they were.

    Each day's visitors are shared out by lot, and those of them who converted with them (a permutation of what happened:
    Ernst, Statistical Science 19 (2004) 676-685), so that unevenness from day to day is the site's own. Days begin again where the
    plan is longer than what is known. Each midnight is read as `looks` does.

    Parameters
    ----------
    days : sequence of (visitors, converted)
        Of the control, day by day.
    shares : sequence of int
        Of the arms, in per cent.
    needed : float
        Visitors of all arms at the planned end.
    worth : float
        The smallest difference worth having, absolute.
    level : float
        Of one challenger: 1 - α/m.
    runs, seed : int
        How often, and of which lots.

    Returns
    -------
    DryRun
        None where nobody came, or the plan is longer than MOST_DAYS.

    Raises
    ------
    ValueError
        When more converted than came, or there are no two shares.

    Examples
    --------
    >>> d = dry_run([(200, 10), (240, 12)], [50, 50], 4000, 0.01, runs=200)
    >>> d.alarms <= 0.1, len(d.decided)
    (True, 19)
    """
    if len(shares) < 2:
        raise ValueError("shares: give two at least")
    if any(not 0 <= converted <= came for came, converted in days):
        raise ValueError("days: no more can convert than come")
    each_day = sum(came for came, _ in days) / max(1, len(days))
    if not each_day or needed / each_day > MOST_DAYS:
        return None
    length = math.ceil(needed / each_day)
    chance = np.random.default_rng(seed)
    sizes = np.zeros((len(shares), runs, length))
    hits = np.zeros((len(shares), runs, length))
    for day in range(length):
        came, converted = days[day % len(days)]
        left, left_converted = np.full(runs, came), np.full(runs, converted)
        of_rest = 100
        for arm, share in enumerate(shares):
            mine = chance.binomial(left, min(1.0, share / of_rest)) if of_rest else left
            did = chance.hypergeometric(left_converted, left - left_converted, mine)
            sizes[arm, :, day], hits[arm, :, day] = mine, did
            left, left_converted, of_rest = left - mine, left_converted - did, of_rest - share
    sizes, hits = sizes.cumsum(axis=2), hits.cumsum(axis=2)
    nobody = [Counts(0, 0)] * len(shares)
    daily = [each_day * share / 100 for share in shares]
    lows, highs = [], []
    for arm in range(1, len(shares)):
        edges = _future_bounds(nobody, daily, arm, needed, [], length, level)
        low, high = _ranges(sizes[0], hits[0], sizes[arm], hits[arm], edges)
        lows.append(low)
        highs.append(high)
    low, high = np.array(lows), np.array(highs)
    alarm: NDArray[np.bool_] = np.asarray(((low > 0) | (high < 0)).any(axis=(0, 2)))
    decided: NDArray[np.bool_] = np.asarray((low > 0).any(axis=0) | (high < worth).all(axis=0))
    so_far = np.maximum.accumulate(decided, axis=1).mean(axis=0)
    return DryRun(runs, float(alarm.mean()), [float(part) for part in so_far])
