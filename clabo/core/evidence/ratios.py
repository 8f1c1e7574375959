"""Return on ad spend over days: a ratio of means (definitions: "Evidence", "ROAS interval")."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy import special, stats

from clabo.core.evidence.types import NOTHING, Interval, alpha_of, t_of


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


def poisson_limits(count: int, level: float = 0.95) -> tuple[float, float]:
    """Exact limits of the expected number where `count` came. F. Garwood, Biometrika 28 (1936) 437-442."""
    alpha = alpha_of(level)
    low = float(special.gammaincinv(count, alpha / 2)) if count else 0.0
    return low, float(special.gammaincinv(count + 1, 1 - alpha / 2))


def return_interval(
    conversions: int, each: float, value: Sequence[float], cost: Sequence[float], level: float = 0.95
) -> Interval:
    """Return on ad spend: the sum of `value` / the sum of `cost`, both by day.

    Fieller's set over days knows nothing of conversions that could have come and did not: over 28 days of spend without
    one it is the point 0, and with few its upper limit is too low (docs/evidence.md has the figures). So
    it is widened to the exact limits of the number of `conversions`, each worth `each` (the mean where the data give none).
    Where no value is negative, neither limit is.
    """
    found = ratio_of_means(value, cost, level)
    if not found.known or not found.bounded:
        return found
    total = sum(cost)
    low, high = (limit * each / total for limit in poisson_limits(conversions, level))
    low, high = min(found.low, low, found.estimate), max(found.high, high, found.estimate)
    return Interval(max(0.0, low) if min(value) >= 0 else low, found.estimate, high)


def bootstrap_ratio(
    numerator: Sequence[float],
    denominator: Sequence[float],
    level: float = 0.95,
    resamples: int = 4000,
    seed: int = 1,
) -> Interval:
    """The same ratio by the BCa bootstrap over pairs, for spend that does not vary by day."""
    alpha_of(level)
    x, y = _paired(numerator, denominator)
    if x.size < 2 or y.mean() == 0:
        return NOTHING
    estimate = float(x.mean() / y.mean())
    if np.allclose(x * y.mean(), y * x.mean()):
        return Interval(estimate, estimate, estimate)

    def ratio(a: NDArray[np.float64], b: NDArray[np.float64], axis: int = -1) -> NDArray[np.float64]:
        with np.errstate(divide="ignore", invalid="ignore"):
            return np.asarray(np.mean(a, axis=axis) / np.mean(b, axis=axis))

    found = stats.bootstrap(
        (x, y),
        ratio,
        paired=True,
        vectorized=True,
        n_resamples=resamples,
        confidence_level=level,
        method="BCa",
        rng=np.random.default_rng(seed),
    ).confidence_interval
    return Interval(float(found.low), estimate, float(found.high))
