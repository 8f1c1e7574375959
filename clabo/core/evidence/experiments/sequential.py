"""Intervals that may be looked at every day (definitions: "Evidence", "Looking every day")."""

from __future__ import annotations

import math

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from clabo.core.evidence.means import standard_error
from clabo.core.evidence.types import NOTHING, Interval, Moments, alpha_of

# Conversions (and visitors without one) that each arm must have before the first interval is given,
# for rates and for values, whose tails are heavier: the smallest that keep false alarms at 5 % in the
# simulations of bench/statistics/evidence.py and bench/statistics/startup.py (docs/evidence.md, "Measured").
START_UP = 5
START_UP_VALUES = 30


def tuning(planned: int, level: float = 0.95) -> float:
    """ρ² for which the sequence is tightest at `planned` visitors of both arms together.

    Waudby-Smith, Arbour, Sinha, Kennedy & Ramdas, arXiv 2103.06476, section on optimising ρ.

    Parameters
    ----------
    planned : int
        Visitors of both arms together, at least 1.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    float
        ρ², per visitor.

    Raises
    ------
    ValueError
        For fewer than one visitor or a level outside 0 to 1.

    Examples
    --------
    >>> round(tuning(10_000) * 10_000, 3)
    8.212
    """
    if planned < 1:
        raise ValueError("planned: must be at least 1")
    alpha = alpha_of(level)
    return float((-scipy.special.lambertw(-(alpha**2) / math.e, -1).real - 1) / planned)


def errors_reached(n: int, planned: int, level: float = 0.95) -> float:
    """How many standard errors on either side of an estimate hold at every look, where all arms have `n` visitors so far.

    √(2 (nρ² + 1)/(nρ²) ln(√(nρ² + 1)/α)), ρ from `tuning(planned)`: half the width of the sequence over the standard
    error (arXiv 2103.06476, Theorem 2.2).

    Parameters
    ----------
    n : int
        Visitors so far, at least 1.
    planned : int
        Visitors at which the sequence is tightest.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    float
        In standard errors; 1.96 would be it for one look.

    Examples
    --------
    >>> round(errors_reached(10_000, 10_000), 3)
    3.035
    """
    alpha, spread = alpha_of(level), n * tuning(planned, level) + 1
    return math.sqrt(2 * spread / (spread - 1) * math.log(math.sqrt(spread) / alpha))


def p_at_every_look(errors: float, n: int, planned: int, level: float = 0.95) -> float:
    """The smallest α at which an estimate so many standard errors away from nought is told from it at every look.

    √(nρ² + 1) exp(−z² nρ²/(2 (nρ² + 1))), 1 at most; ρ stays that of `level`. However often one looks, and whenever one
    stops, it is below α in no more than α of all tests without a difference.

    Parameters
    ----------
    errors : float
        The estimate over its standard error.
    n, planned, level
        As in `errors_reached`.

    Returns
    -------
    float
        Between 0 and 1.

    Examples
    --------
    >>> round(p_at_every_look(errors_reached(10_000, 10_000), 10_000, 10_000), 6)
    0.05
    """
    spread = n * tuning(planned, level) + 1
    return min(1.0, math.sqrt(spread) * math.exp(-errors * errors * (spread - 1) / (2 * spread)))


def half_widths(n: ArrayLike, variance: ArrayLike, planned: int, level: float = 0.95) -> NDArray[np.float64]:
    """Half the widths at `n` observations of the given variances each; arrays of one shape.

    Parameters
    ----------
    n : array_like of int, shape (k,)
        Observations so far.
    variance : array_like of float, shape (k,)
        Of one observation.
    planned : int
        Visitors at which the sequence is tightest.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    ndarray of float, shape (k,)
        In the unit of the observations.

    Examples
    --------
    >>> half_widths([100, 10_000], [0.04, 0.04], 10_000).round(4).tolist()
    [0.1789, 0.0061]
    """
    alpha, rho2 = alpha_of(level), tuning(planned, level)
    count = np.asarray(n, dtype=float)
    spread = count * rho2 + 1
    reach = np.sqrt(2 * spread / (count * count * rho2) * np.log(np.sqrt(spread) / alpha))
    return np.asarray(np.sqrt(np.asarray(variance, dtype=float)) * reach)


def half_width(n: int, variance: float, planned: int, level: float = 0.95) -> float:
    """Half the width at `n` observations of the given variance each.

    Parameters
    ----------
    n : int
        Observations so far.
    variance : float
        Of one observation.
    planned : int
        Visitors at which the sequence is tightest.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    float
        In the unit of the observations.

    Examples
    --------
    >>> round(half_width(10_000, 0.04, 10_000), 4)
    0.0061
    """
    return float(half_widths(n, variance, planned, level))


def confidence_sequence(
    control: Moments,
    challenger: Moments,
    planned: int,
    level: float = 0.95,
    converted: tuple[int, int] | None = None,
) -> Interval:
    """Difference of means, challenger - control, valid at every look (asymptotically).

    With N = n₀ + n₁ and V = N (s₀²/n₀ + s₁²/n₁) the half width is
    √V √(2 (Nρ² + 1)/(N²ρ²) ln(√(Nρ² + 1)/α)), ρ from `tuning(planned)`. V is no smaller than with both variances
    pooled: of heavy tails a small arm has seen little, and its own variance is then too small.

    `converted` says how many visitors of each arm had a value at all; for 0/1 outcomes it is read
    from the moments. Before START_UP (for values START_UP_VALUES) with and without one in each arm
    the limits are nan: the guarantee is asymptotic and does not hold for the first few. Of values
    without `converted` nothing is known, and every visitor counts as having one.

    Parameters
    ----------
    control, challenger : Moments
        What each arm's visitors brought: 0 or 1, or money.
    planned : int
        Visitors of both arms together.
    level : float
        Confidence level, between 0 and 1.
    converted : tuple of int, optional
        How many visitors of each arm had a value at all.

    Returns
    -------
    Interval
        In the unit of the values; nan limits before the guarantee holds.

    Examples
    --------
    >>> i = confidence_sequence(Moments.of_counts(Counts(217, 4801)), Moments.of_counts(Counts(315, 4837)), 9566)
    >>> round(i.low, 4), round(i.high, 4)
    (0.0058, 0.034)
    """
    if control.n < 2 or challenger.n < 2:
        return NOTHING
    counts = converted or (None, None)
    if not all(has_started(arm, count) for arm, count in zip((control, challenger), counts, strict=True)):
        return Interval(math.nan, challenger.mean - control.mean, math.nan)
    n = control.n + challenger.n
    variance = n * standard_error(control, challenger) ** 2
    reach = half_width(n, variance, planned, level)
    gap = challenger.mean - control.mean
    return Interval(gap - reach, gap, gap + reach)


def has_started(arm: Moments, converted: int | None) -> bool:
    """Whether there is enough of both kinds of visitor in an arm."""
    if arm.n < 2:
        return False
    if converted is not None:
        return min(converted, arm.n - converted) >= START_UP_VALUES
    binary = arm.mean * (1 - arm.mean) * arm.n / (arm.n - 1)
    if 0 <= arm.mean <= 1 and math.isclose(arm.variance, binary, rel_tol=1e-9, abs_tol=1e-15):
        successes = round(arm.n * arm.mean)
        return min(successes, arm.n - successes) >= START_UP
    return arm.n >= START_UP_VALUES
