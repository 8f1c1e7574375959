"""The day's reading: intervals at one look a day up to a planned end (definitions: "The day's reading")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.experiments.power import SamplePlan
from clabo.core.evidence.experiments.sequential import has_started
from clabo.core.evidence.means import standard_error
from clabo.core.evidence.types import Interval, Moments, alpha_of, z_of

# Of what may be wrong in all, the share that looks at midnight may spend; the rest is the confidence sequence's, which
# may be looked at between them and after the planned end.
LOOKS_SHARE = 0.9

# Looks between which less of the planned information has come in are one look.
LEAST_STEP = 1 / 500
# Beyond so many standard deviations there is nothing that could be counted.
_FAR = 8.0
_NODES, _WEIGHTS = np.polynomial.legendre.leggauss(256)
Floats = NDArray[np.float64]


def spent(time: float, alpha: float) -> float:
    """How much of a two-sided `alpha` is spent at information `time`: O'Brien & Fleming's shape.

    4 (1 - Φ(z(1 - α/4) / √t)); all of it from t = 1 on. Lan & DeMets, Biometrika 70 (1983) 659-663.

    >>> round(spent(0.5, 0.05), 5), spent(1, 0.05)
    (0.00305, 0.05)
    """
    if time <= 0:
        return 0.0
    if time >= 1:
        return alpha
    return float(4 * scipy.special.ndtr(-scipy.special.ndtri(1 - alpha / 4) / math.sqrt(time)))


def bounds(times: Sequence[float], alpha: float = 0.05) -> list[float]:
    """Critical values of the standardised difference at looks at these information times, two-sided.

    At each look the probability of a first crossing there, if nothing differs, is what `spent` allows since the look
    before. By numerical integration of the continuation density (Armitage, McPherson & Rowe 1969; Jennison & Turnbull,
    Group Sequential Methods, 2000, ch. 19), Gauss-Legendre over each look's region.

    Parameters
    ----------
    times : sequence of float
        Information at each look over the planned one, increasing by LEAST_STEP or more; may go beyond 1.
    alpha : float
        Between 0 and 1.

    Returns
    -------
    list of float
        One for each look; infinite where nothing may be spent yet.

    Raises
    ------
    ValueError
        For times that do not increase, or an impossible alpha.

    Examples
    --------
    >>> [round(b, 3) for b in bounds([0.2, 0.4, 0.6, 0.8, 1])]
    [4.877, 3.357, 2.68, 2.29, 2.031]
    """
    if not 0 < alpha < 1:
        raise ValueError("alpha: must lie between 0 and 1")
    if any(b - a < LEAST_STEP - 1e-12 for a, b in zip((0.0, *times), times, strict=False)):
        raise ValueError(f"times: must increase by {LEAST_STEP} at least")
    return list(_bounds(tuple(times), alpha))


def crossing(times: Sequence[float], edges: Sequence[float], drift: float) -> float:
    """The probability that a look crosses its bound on either side, where a difference is there.

    Parameters
    ----------
    times, edges : sequence of float
        As of `bounds`.
    drift : float
        The standardised difference expected at time 1: difference over standard error.

    Returns
    -------
    float

    Examples
    --------
    >>> times = [0.2, 0.4, 0.6, 0.8, 1]
    >>> round(crossing(times, bounds(times), 0), 4), round(crossing(times, bounds(times), 2.8), 3)
    (0.05, 0.79)
    """
    before, crossed = 0.0, 0.0
    places, masses = np.zeros(1), np.ones(1)
    for time, bound in zip(times, edges, strict=True):
        step = time - before
        spread, moved = math.sqrt(step), places + drift * step
        edge = bound * math.sqrt(time)
        crossed += _excess(edge, moved, masses, spread, 0.0) if math.isfinite(edge) else 0.0
        half = min(edge, _FAR * math.sqrt(time) + abs(drift) * time)
        places, masses = _next(half, moved, masses, spread)
        before = time
    return crossed


@lru_cache(maxsize=256)
def _bounds(times: tuple[float, ...], alpha: float) -> tuple[float, ...]:
    found: list[float] = []
    before, gone = 0.0, 0.0
    # The density of who has not crossed yet, of a Brownian motion at that time: places, and masses.
    places, masses = np.zeros(1), np.ones(1)
    for time in times:
        spread = math.sqrt(time - before)
        allowed = spent(time, alpha) - gone
        reach = _FAR * math.sqrt(time)
        if _excess(reach, places, masses, spread, allowed) >= 0:
            edge = math.inf
        else:
            now = places, masses, spread, allowed
            edge = float(scipy.optimize.brentq(_excess, 0.0, reach, now, xtol=1e-12, rtol=1e-12))
            gone += allowed
        found.append(edge / math.sqrt(time))
        places, masses = _next(min(edge, reach), places, masses, spread)
        before = time
    return tuple(found)


def _next(half: float, places: Floats, masses: Floats, spread: float) -> tuple[Floats, Floats]:
    """Where a motion is after a step that spreads so, if it lies within ± `half`: places, and masses."""
    nodes = half * _NODES
    density = np.exp(-0.5 * ((nodes[:, None] - places) / spread) ** 2) @ masses
    return nodes, half * _WEIGHTS * density / (spread * math.sqrt(2 * math.pi))


def _excess(edge: float, places: Floats, masses: Floats, spread: float, allowed: float) -> float:
    """By how much the probability of lying beyond ± `edge`, after a step that spreads so, exceeds what is allowed."""
    outside = scipy.special.ndtr((places - edge) / spread) + scipy.special.ndtr((-edge - places) / spread)
    return float(masses @ outside) - allowed


def information(control: float, challenger: float) -> float:
    """What so many observations of each arm tell of a difference: their harmonic size, n₀n₁ / (n₀ + n₁).

    >>> information(100, 100), information(0, 100)
    (50.0, 0.0)
    """
    both = control + challenger
    return control * challenger / both if both else 0.0


@dataclass(frozen=True, slots=True)
class Look:
    """What a look at the end of a day says. `time`: information so far over the planned one; `bound`: its critical value."""

    place: int
    time: float
    bound: float
    interval: Interval


def continued(
    look: Look, places: Floats, masses: Floats, spread: float, drift: float
) -> tuple[Floats, Floats]:
    """Where a motion that drifts so is after a look that has called nothing: places, and masses."""
    root = math.sqrt(look.time)
    return _next(min(look.bound * root, _FAR * root + abs(drift) * look.time), places, masses, spread)


def looks(
    control: Sequence[Moments],
    challenger: Sequence[Moments],
    planned: float,
    level: float = 0.95,
    converted: Sequence[tuple[int, int]] | None = None,
) -> list[Look]:
    """Repeated confidence intervals of the difference of means, challenger - control, at the ends of days.

    estimate ± c · `standard_error`, c from `bounds` at the information as it was observed, so that uneven days and
    more looks than planned stay right. All of them together hold the true difference with probability `level`
    (Jennison & Turnbull, JRSS B 51 (1989) 305-361). The first look at or after the planned information is the last.

    Parameters
    ----------
    control, challenger : sequence of Moments
        What each arm's visitors brought up to the end of each day, the first day first.
    planned : float
        The information at the planned end (`information` of the planned sizes).
    level : float
        Confidence level, between 0 and 1.
    converted : sequence of tuple of int, optional
        As of `sequential.confidence_sequence`, for each day.

    Returns
    -------
    list of Look
        `place` is the day's. Days are left out on which too little came in, or too few in an arm have converted for
        the normal approximation to hold.

    Raises
    ------
    ValueError
        For plans without information.

    Examples
    --------
    >>> from clabo.core.evidence.types import Counts
    >>> a, b = [Moments.of_counts(Counts(217, 4801))], [Moments.of_counts(Counts(315, 4837))]
    >>> [look] = looks(a, b, information(5000, 5000))
    >>> round(look.interval.low, 4), round(look.interval.high, 4)
    (0.0106, 0.0293)
    """
    if not planned > 0:
        raise ValueError("planned: must be positive")
    times: list[float] = []
    kept: list[int] = []
    for place, (a, b) in enumerate(zip(control, challenger, strict=True)):
        time = information(a.n, b.n) / planned
        if time - (times[-1] if times else 0.0) < LEAST_STEP:
            continue
        counts = converted[place] if converted else (None, None)
        if not (has_started(a, counts[0]) and has_started(b, counts[1])):
            continue
        times.append(time)
        kept.append(place)
        if time >= 1:
            break
    found = []
    for place, time, bound in zip(kept, times, bounds(times, alpha_of(level)), strict=True):
        a, b = control[place], challenger[place]
        gap = b.mean - a.mean
        reach = bound * standard_error(a, b)
        found.append(Look(place, time, bound, Interval(gap - reach, gap, gap + reach)))
    return found


def would_have_shown(look: Look, power: float = 0.8) -> float:
    """The difference that this look would have called one with such a probability, if it were there.

    >>> round(would_have_shown(Look(0, 0.5, 2.8, Interval(-0.014, 0.0, 0.014))), 4)
    0.0182
    """
    reach = look.interval.high - look.interval.estimate
    return reach * (1 + float(scipy.special.ndtri(power)) / look.bound)


def looks_level(level: float) -> float:
    """The level of the looks, where both readings together hold with probability `level`.

    >>> round(looks_level(0.95), 6)
    0.955
    """
    return 1 - LOOKS_SHARE * alpha_of(level)


def between_level(level: float) -> float:
    """The level of the confidence sequence beside them.

    >>> round(between_level(0.95), 6)
    0.995
    """
    return 1 - (1 - LOOKS_SHARE) * alpha_of(level)


def both(look: Look | None, sequence: Interval) -> Interval:
    """What the last look and the sequence as it stands leave together: the inner limits, around the estimate of now.

    Both hold at once with the level that `looks_level` and `between_level` came from. Where they contradict each other,
    which that allows for, the look stands.

    >>> look = Look(0, 0.5, 2.8, Interval(-0.01, 0.02, 0.05))
    >>> both(look, Interval(0.001, 0.025, 0.06))
    Interval(low=0.001, estimate=0.025, high=0.05)
    """
    if look is None:
        return sequence
    if not sequence.known:
        return look.interval
    low, high = max(look.interval.low, sequence.low), min(look.interval.high, sequence.high)
    if low > high:
        return look.interval
    return Interval(low, min(max(sequence.estimate, low), high), high)


@lru_cache(maxsize=64)
def _inflation(days: int, level: float, power: float) -> float:
    """How many times the information of a single look at `level` the looks at `days` even days need for that power."""
    times = [(i + 1) / days for i in range(days)]
    edges = bounds(times, alpha_of(looks_level(level)))
    alone = z_of(level) + float(scipy.special.ndtri(power))
    drift = scipy.optimize.brentq(
        lambda d: crossing(times, edges, d) - power, alone / 2, alone * 2, xtol=1e-8
    )
    return float((drift / alone) ** 2)


def daily_cost(plan: SamplePlan, days: int = 28) -> float:
    """How many times the planned visitors of a single look a look a day needs for the same power.

    Parameters
    ----------
    plan : SamplePlan
        For a single look at its level.
    days : int
        How many, at least 1; more cost hardly more.

    Returns
    -------
    float
        Times the plan's visitors.

    Examples
    --------
    >>> from clabo.core.evidence.experiments.power import plan_rate_test
    >>> round(daily_cost(plan_rate_test(0.04, 0.2)), 3)
    1.081
    """
    return _inflation(max(1, min(days, 366)), plan.level, plan.power)
