"""Value per visitor: means of two groups (definitions: "Evidence")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from clabo.core.evidence.types import NOTHING, Interval, Moments, alpha_of, t_of


@dataclass(frozen=True, slots=True)
class MeanComparison:
    """Challenger - control with Welch's interval, two-sided p-value and degrees of freedom."""

    difference: Interval
    p_value: float
    degrees_of_freedom: float


def compare_means(control: Moments, challenger: Moments, level: float = 0.95) -> MeanComparison:
    """Welch's t, for unequal variances. Welch, Biometrika 34 (1947) 28-35.

    Needs two values on each side; nan otherwise.
    """
    alpha_of(level)
    if control.n < 2 or challenger.n < 2:
        return MeanComparison(NOTHING, math.nan, math.nan)
    a, b = control.variance / control.n, challenger.variance / challenger.n
    gap = challenger.mean - control.mean
    if a + b == 0:
        return MeanComparison(Interval(gap, gap, gap), 1.0 if gap == 0 else 0.0, math.nan)
    error = math.sqrt(a + b)
    # By shares of the variance: its square would underflow for tiny values.
    df = 1 / ((a / (a + b)) ** 2 / (control.n - 1) + (b / (a + b)) ** 2 / (challenger.n - 1))
    reach = t_of(level, df) * error
    return MeanComparison(
        Interval(gap - reach, gap, gap + reach), float(2 * stats.t.sf(abs(gap) / error, df)), df
    )


def _mean_gap(
    control: NDArray[np.float64], challenger: NDArray[np.float64], axis: int = -1
) -> NDArray[np.float64]:
    return np.asarray(np.mean(challenger, axis=axis) - np.mean(control, axis=axis))


def bootstrap_mean_difference(
    control: Sequence[float],
    challenger: Sequence[float],
    level: float = 0.95,
    resamples: int = 4000,
    seed: int = 1,
) -> Interval:
    """Challenger - control by the BCa bootstrap (Efron, JASA 82 (1987) 171-185), for heavy tails."""
    alpha_of(level)
    if resamples < 100:
        raise ValueError("resamples: take at least 100")
    a, b = np.asarray(control, dtype=float), np.asarray(challenger, dtype=float)
    if a.size < 2 or b.size < 2:
        return NOTHING
    gap = float(b.mean() - a.mean())
    if a.std() == 0 and b.std() == 0:
        return Interval(gap, gap, gap)
    found = stats.bootstrap(
        (a, b),
        _mean_gap,
        n_resamples=resamples,
        confidence_level=level,
        method="BCa",
        vectorized=True,
        batch=max(1, 2_000_000 // (a.size + b.size)),
        rng=np.random.default_rng(seed),
    ).confidence_interval
    return Interval(float(found.low), gap, float(found.high))
