"""What the evidence functions take and return."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy


@dataclass(frozen=True, slots=True)
class Interval:
    """An estimate with its limits. `nan` where the data say nothing, infinite where they set no limit."""

    low: float
    estimate: float
    high: float

    @property
    def known(self) -> bool:
        """Whether there are limits at all."""
        return not (math.isnan(self.low) or math.isnan(self.high))

    @property
    def bounded(self) -> bool:
        """Whether both limits are finite."""
        return math.isfinite(self.low) and math.isfinite(self.high)


NOTHING = Interval(math.nan, math.nan, math.nan)


def whole(name: str, value: float) -> int:
    """`value` as the count that it is; raises ValueError naming it where it is negative or no whole number."""
    if not math.isfinite(value) or value != int(value):
        raise ValueError(f"{name}: must be a whole number")
    if value < 0:
        raise ValueError(f"{name}: must not be negative")
    return int(value)


@dataclass(frozen=True, slots=True)
class Counts:
    """Conversions among trials (visits or visitors). Raises ValueError for impossible counts."""

    conversions: int
    trials: int

    def __post_init__(self) -> None:
        whole("trials", self.trials)
        if not 0 <= self.conversions <= self.trials:
            raise ValueError("conversions: must lie between 0 and trials")
        whole("conversions", self.conversions)

    @property
    def rate(self) -> float:
        """conversions / trials; nan over zero."""
        return self.conversions / self.trials if self.trials else math.nan

    @property
    def failures(self) -> int:
        """Trials without a conversion."""
        return self.trials - self.conversions

    def __add__(self, other: Counts) -> Counts:
        return Counts(self.conversions + other.conversions, self.trials + other.trials)


@dataclass(frozen=True, slots=True)
class Moments:
    """Size, mean and sample variance (n - 1) of some values; `a + b` is that of both together.

    Merging is by Chan, Golub & LeVeque (1983), without loss of precision.

    >>> Moments.of([1, 2]) + Moments.of([3]) == Moments.of([1, 2, 3])
    True
    """

    n: int
    mean: float
    variance: float

    def __post_init__(self) -> None:
        whole("n", self.n)
        if self.variance < 0:
            raise ValueError("variance: must not be negative")

    @classmethod
    def of(cls, values: Iterable[float]) -> Moments:
        """The moments of `values`. The variance of fewer than two is 0."""
        array = np.asarray(list(values), dtype=float)
        n = array.size
        if not n:
            return cls(0, 0.0, 0.0)
        return cls(n, float(array.mean()), float(array.var(ddof=1)) if n > 1 else 0.0)

    @classmethod
    def of_counts(cls, counts: Counts) -> Moments:
        """The moments of 0/1 outcomes."""
        n, p = counts.trials, counts.rate if counts.trials else 0.0
        return cls(n, p, p * (1 - p) * n / (n - 1) if n > 1 else 0.0)

    @classmethod
    def of_sums(cls, n: int, total: float, squares: float) -> Moments:
        """From the sum and the sum of squares of `n` values, most of which may be zero."""
        if n < 1:
            return cls(0, 0.0, 0.0)
        mean = total / n
        return cls(n, mean, max(0.0, (squares - n * mean * mean) / (n - 1)) if n > 1 else 0.0)

    def times(self, factor: float) -> Moments:
        """Of the same values, each so many times as large."""
        return Moments(self.n, self.mean * factor, self.variance * factor * factor)

    def __add__(self, other: Moments) -> Moments:
        n = self.n + other.n
        if not other.n or not self.n:
            return self if self.n else other
        gap = other.mean - self.mean
        squares = (
            self.variance * (self.n - 1) + other.variance * (other.n - 1) + gap * gap * self.n * other.n / n
        )
        return Moments(n, self.mean + gap * other.n / n, squares / (n - 1))


def alpha_of(level: float) -> float:
    """1 - level, checked."""
    if not 0 < level < 1:
        raise ValueError("level: must lie between 0 and 1, for example 0.95")
    return 1 - level


@lru_cache(maxsize=256)
def z_of(level: float) -> float:
    """The normal quantile that a two-sided interval at `level` reaches to."""
    return float(scipy.stats.norm.isf(alpha_of(level) / 2))


@lru_cache(maxsize=4096)
def t_of(level: float, degrees_of_freedom: float) -> float:
    """The same of Student's t."""
    return float(scipy.stats.t.isf(alpha_of(level) / 2, degrees_of_freedom))
