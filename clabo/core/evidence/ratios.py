"""Return on ad spend over days: a ratio of means (definitions: "Evidence", "ROAS interval")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import special

from clabo.core.evidence.bootstrap import bootstrap_mean
from clabo.core.evidence.proportions import rate_interval
from clabo.core.evidence.types import NOTHING, Interval, alpha_of, t_of, whole


def _paired(
    numerator: Sequence[float], denominator: Sequence[float]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    x, y = np.asarray(numerator, dtype=float), np.asarray(denominator, dtype=float)
    if x.shape != y.shape:
        raise ValueError("denominator: must have as many values as the numerator")
    return x, y


def ratio_of_means(numerator: Sequence[float], denominator: Sequence[float], level: float = 0.95) -> Interval:
    """mean(numerator) / mean(denominator) of paired days, by Fieller's theorem.

    Where the denominator's mean is not distinguishable from 0 the confidence set is unbounded,
    and the limits are infinite (`bounded` is False). Fieller, J. R. Stat. Soc. B 16 (1954) 175-185.

    Parameters
    ----------
    numerator, denominator : sequence of float, length n
        Paired, for example value and cost of each day.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        Without a unit; infinite where it is unbounded.

    Raises
    ------
    ValueError
        When the two are of different lengths.

    Examples
    --------
    >>> i = ratio_of_means([20, 24, 31, 18], [10, 11, 13, 9])
    >>> round(i.low, 2), round(i.estimate, 2), round(i.high, 2)
    (1.75, 2.16, 2.41)
    """
    alpha_of(level)
    x, y = _paired(numerator, denominator)
    n = x.size
    if n < 2 or y.mean() == 0:
        return NOTHING
    mean_x, mean_y = float(x.mean()), float(y.mean())
    estimate = mean_x / mean_y
    var_x, var_y = float(x.var(ddof=1)) / n, float(y.var(ddof=1)) / n
    covariance = float((x - mean_x) @ (y - mean_y)) / (n - 1) / n
    t2 = t_of(level, n - 1) ** 2
    # All ratios r with (mean_x - r mean_y)² <= t² (var_x - 2 r cov + r² var_y).
    a = mean_y**2 - t2 * var_y
    b = mean_x * mean_y - t2 * covariance
    c = mean_x**2 - t2 * var_x
    if a <= 0:
        return Interval(-math.inf, estimate, math.inf)
    root = math.sqrt(max(0.0, b * b - a * c))
    return Interval((b - root) / a, estimate, (b + root) / a)


def count_ratio(numerator: int, denominator: int, level: float = 0.95) -> Interval:
    """numerator / denominator of two independent Poisson counts.

    Given their sum, the first is binomial with p = r / (1 + r): Wilson's limits of p, carried over. (Przyborowski &
    Wilenski, Biometrika 31 (1940) 313-323; the score form in Price & Bonett, Comput. Stat. Data Anal. 34 (2000) 345-356.)

    Parameters
    ----------
    numerator, denominator : int
        Counts, 0 or more.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        The upper limit is infinite where the denominator may be 0; unknown over nothing.

    Raises
    ------
    ValueError
        When a count is negative or not whole.

    Examples
    --------
    >>> i = count_ratio(45, 60)
    >>> round(i.low, 3), round(i.estimate, 3), round(i.high, 3)
    (0.511, 0.75, 1.101)
    """
    a, b = whole("numerator", numerator), whole("denominator", denominator)
    if not b:
        return NOTHING
    share = rate_interval(a, a + b, level)

    def carried(p: float) -> float:
        return p / (1 - p) if p < 1 else math.inf

    return Interval(carried(share.low), a / b, carried(share.high))


def poisson_limits(count: float, level: float = 0.95) -> tuple[float, float]:
    """Exact limits of the expected number where `count` came. F. Garwood, Biometrika 28 (1936) 437-442.

    Parameters
    ----------
    count : float
        How many came; of shares of several, their sum (the limits are continued between whole numbers).
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    low, high : float
        Of the expected number.

    Examples
    --------
    >>> tuple(round(x, 3) for x in poisson_limits(0))
    (0.0, 3.689)
    >>> tuple(round(x, 3) for x in poisson_limits(10))
    (4.795, 18.39)
    """
    alpha = alpha_of(level)
    low = float(special.gammaincinv(count, alpha / 2)) if count else 0.0
    return low, float(special.gammaincinv(count + 1, 1 - alpha / 2))


@dataclass(frozen=True, slots=True)
class VisitValues:
    """What each visit brought: the values of those that brought any, and how many visits there were in all."""

    values: Sequence[float]
    visits: int


def return_interval(
    conversions: float,
    each: float,
    value: Sequence[float],
    cost: Sequence[float],
    level: float = 0.95,
    of_visits: VisitValues | None = None,
) -> Interval:
    """Return on ad spend: the sum of `value` / the sum of `cost`, both by day.

    By Fieller's theorem over days; where the cost is the same every day, days say nothing of it, and `of_visits`,
    where given, is bootstrapped instead (BCa over visits).

    Fieller's set over days knows nothing of conversions that could have come and did not: over 28 days of spend without
    one it is the point 0, and with few its upper limit is too low (docs/evidence.md has the figures). So
    it is widened to the exact limits of the number of `conversions`, each worth `each` (the mean where the data give none).
    Where no value is negative, neither limit is.

    Parameters
    ----------
    conversions : float
        How many brought the value; shares of several count as shares.
    each : float
        What one is worth, where the data give no mean.
    value, cost : sequence of float, length n
        Of each day, in the site's money.
    level : float
        Confidence level, between 0 and 1.
    of_visits : VisitValues, optional
        What each visit brought.

    Returns
    -------
    Interval
        Return for each unit of money.

    Examples
    --------
    >>> i = return_interval(8, 59.0, [118.0, 59.0, 177.0, 118.0], [40.0, 38.0, 45.0, 41.0])
    >>> round(i.estimate, 2), i.low < i.estimate < i.high
    (2.88, True)
    """
    found = ratio_of_means(value, cost, level)
    if not found.known or not found.bounded:
        return found
    total = sum(cost)
    if of_visits and max(cost) == min(cost) and of_visits.visits >= len(of_visits.values):
        zeros = of_visits.visits - len(of_visits.values)
        mean = bootstrap_mean(of_visits.values, zeros, level)
        if mean.known:
            per_visit = of_visits.visits / total
            found = Interval(mean.low * per_visit, found.estimate, mean.high * per_visit)
    low, high = (limit * each / total for limit in poisson_limits(conversions, level))
    low, high = min(found.low, low, found.estimate), max(found.high, high, found.estimate)
    return Interval(max(0.0, low) if min(value) >= 0 else low, found.estimate, high)
