"""Return on ad spend over days: a ratio of means (definitions: "Evidence", "ROAS interval")."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.compound import Spread, ValueSums, expected_total
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
    low = float(scipy.special.gammaincinv(count, alpha / 2)) if count else 0.0
    return low, float(scipy.special.gammaincinv(count + 1, 1 - alpha / 2))


def return_interval(sums: ValueSums, cost: float, spread: Spread, level: float = 0.95) -> Interval:
    """Return on ad spend: what conversions bring / what the ads cost, which is known (`expected_total`).

    Parameters
    ----------
    sums : ValueSums
        Of the conversions credited to what was paid for.
    cost : float
        What was paid, in the unit of the values; above 0.
    spread : Spread
        How much values differ on the site.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        Return for each unit of money; nan where nothing is worth anything.

    Raises
    ------
    ValueError
        When `cost` is not above 0.

    Examples
    --------
    >>> same = ValueSums.of([59.0] * 8)
    >>> i = return_interval(same, 164.0, Spread.of([same], 59.0, fixed=True))
    >>> round(i.low, 2), round(i.estimate, 2), round(i.high, 2)
    (1.24, 2.88, 5.67)
    """
    if not cost > 0:
        raise ValueError("cost: must be above 0")
    found = expected_total(sums, spread, level)
    return Interval(found.low / cost, found.estimate / cost, found.high / cost)
