"""The BCa bootstrap of means of which most values are 0, as of orders per visitor (Efron, JASA 82 (1987) 171-185).

A resample of n values of which k differ from 0 is drawn by how often each distinct value comes up (a multinomial
count), so that its cost depends on the distinct values and not on n. Everything else is as in SciPy's
`stats.bootstrap(method="BCa")`, to which it is held in tests.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.types import NOTHING, Interval, alpha_of

_AT_ONCE = 2_000_000


@dataclass(frozen=True, slots=True, eq=False)
class _Sample:
    """Distinct values, how often each occurs, and how many there are in all."""

    values: NDArray[np.float64]
    counts: NDArray[np.int64]
    n: int

    @classmethod
    def of(cls, values: Sequence[float] | NDArray[np.float64], zeros: int) -> _Sample:
        given = np.asarray(values, dtype=float)
        given = np.concatenate([given, np.zeros(1)]) if zeros else given
        distinct, counts = np.unique(given, return_counts=True)
        if zeros:
            counts[distinct == 0] += zeros - 1
        return cls(distinct, counts, int(counts.sum()))

    @property
    def _key(self) -> tuple[bytes, bytes, int]:
        return self.values.tobytes(), self.counts.tobytes(), self.n

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Sample) and self._key == other._key

    def __hash__(self) -> int:
        return hash(self._key)

    @property
    def mean(self) -> float:
        return float(self.values @ self.counts) / self.n

    def central(self, power: int) -> float:
        """The sum of (x - mean) to that power."""
        return float(((self.values - self.mean) ** power) @ self.counts)

    def means(self, resamples: int, chance: np.random.Generator) -> NDArray[np.float64]:
        """The means of so many resamples."""
        found = np.empty(resamples)
        step = max(1, _AT_ONCE // self.values.size)
        for start in range(0, resamples, step):
            size = min(step, resamples - start)
            drawn = chance.multinomial(self.n, self.counts / self.n, size=size)
            found[start : start + size] = drawn @ self.values / self.n
        return found


@lru_cache(maxsize=64)
def _differences(a: _Sample, b: _Sample, resamples: int, seed: int) -> NDArray[np.float64]:
    """b - a of the means of so many resamples. Kept: a screen asks for the same again until somebody comes."""
    chance = np.random.default_rng(seed)
    found = b.means(resamples, chance) - a.means(resamples, chance)
    found.flags.writeable = False
    return found


def _checked(resamples: int, *zeros: int) -> None:
    if resamples < 100:
        raise ValueError("resamples: take at least 100")
    if min(zeros) < 0:
        raise ValueError("zeros: must not be negative")


def bootstrap_mean_difference(
    control: Sequence[float] | NDArray[np.float64],
    challenger: Sequence[float] | NDArray[np.float64],
    level: float = 0.95,
    resamples: int = 4000,
    seed: int = 1,
    zeros: tuple[int, int] = (0, 0),
) -> Interval:
    """Challenger - control of two means by the BCa bootstrap, for heavy tails.

    `zeros`: how many values of 0 each side has beside those given. Needs two values on each side, else nan limits.
    Raises ValueError for a level outside 0 to 1, fewer than 100 resamples, or negative zeros.

    Parameters
    ----------
    control, challenger : sequence of float
        Values other than 0, one a visitor.
    level : float
        Confidence level, between 0 and 1.
    resamples : int
        At least 100.
    seed : int
        The same seed gives the same limits.
    zeros : tuple of int
        How many values of 0 each side has beside those given.

    Returns
    -------
    Interval
        In the unit of the values.

    Examples
    --------
    >>> i = bootstrap_mean_difference([59.0] * 30, [59.0] * 45, zeros=(970, 955))
    >>> i.low < 0.885 < i.high
    True
    """
    alpha_of(level)
    _checked(resamples, *zeros)
    if len(control) + zeros[0] < 2 or len(challenger) + zeros[1] < 2:
        return NOTHING
    a, b = _Sample.of(control, zeros[0]), _Sample.of(challenger, zeros[1])
    gap = b.mean - a.mean
    if a.values.size == 1 and b.values.size == 1:
        return Interval(gap, gap, gap)
    replicates = _differences(a, b, resamples, seed)
    # Of the jackknife's influence values, U = ± (x - mean).
    cubes = b.central(3) / b.n**3 - a.central(3) / a.n**3
    squares = b.central(2) / b.n**2 + a.central(2) / a.n**2
    return _limits(gap, replicates, cubes / (6 * squares**1.5), level)


def bootstrap_mean(
    values: Sequence[float], zeros: int = 0, level: float = 0.95, resamples: int = 4000, seed: int = 1
) -> Interval:
    """A mean by the BCa bootstrap; `zeros` more values are 0. Needs two values, else nan limits.

    Parameters
    ----------
    values : sequence of float
        Values other than 0.
    zeros : int
        How many values of 0 there are beside them.
    level : float
        Confidence level, between 0 and 1.
    resamples : int
        At least 100.
    seed : int
        The same seed gives the same limits.

    Returns
    -------
    Interval
        In the unit of the values.

    Examples
    --------
    >>> i = bootstrap_mean([10.0, 12.0, 9.0, 14.0], zeros=6)
    >>> i.low < 4.5 < i.high
    True
    """
    alpha_of(level)
    _checked(resamples, zeros)
    if len(values) + zeros < 2:
        return NOTHING
    sample = _Sample.of(values, zeros)
    if sample.values.size == 1:
        return Interval(sample.mean, sample.mean, sample.mean)
    replicates = sample.means(resamples, np.random.default_rng(seed))
    # In one sample n drops out: sum(U³) / (6 · sum(U²)^1.5).
    acceleration = sample.central(3) / (6 * sample.central(2) ** 1.5)
    return _limits(sample.mean, replicates, acceleration, level)


def _limits(estimate: float, replicates: NDArray[np.float64], acceleration: float, level: float) -> Interval:
    below = (np.mean(replicates < estimate) + np.mean(replicates <= estimate)) / 2
    bias = float(scipy.special.ndtri(below))
    if not math.isfinite(bias):
        return Interval(float(replicates.min()), estimate, float(replicates.max()))
    tail = float(scipy.special.ndtri(alpha_of(level) / 2))
    low, high = (
        float(scipy.special.ndtr(bias + (bias + z) / (1 - acceleration * (bias + z)))) for z in (tail, -tail)
    )
    limits = np.percentile(replicates, [100 * low, 100 * high])
    return Interval(float(limits[0]), estimate, float(limits[1]))
