"""Quantiles without an assumption about how values are spread."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import scipy

from clabo.core.evidence.types import NOTHING, Interval, whole


def quantile_interval(
    values: Sequence[float], share: float, level: float = 0.95, times: Sequence[int] | None = None
) -> Interval:
    """The quantile of a population by a sample, between two of the sample's order statistics.

    The number of values below the true quantile is binomial; the limits are the order statistics whose ranks it
    falls between with at least this confidence, each side wrong at most by half of the rest (Hahn & Meeker,
    Statistical Intervals, 1991, 5.2; David & Nagaraja, Order Statistics, 2003, 7.1).

    Parameters
    ----------
    values : sequence of float
        In any order.
    share : float
        Below the quantile, between 0 and 1 exclusive: 0.75 is what three quarters do not exceed.
    times : sequence of int, optional
        How often each of `values` occurs; once where it is not given.

    Returns
    -------
    Interval
        Infinite where the sample is too small for a limit; nan for no values.

    Raises
    ------
    ValueError
        For a share or a level outside 0 to 1, or where the lengths differ.

    Examples
    --------
    >>> quantile_interval(range(1, 101), 0.5)
    Interval(low=40.0, estimate=50.0, high=61.0)
    """
    if not 0 < share < 1:
        raise ValueError("share: must lie between 0 and 1")
    if not 0 < level < 1:
        raise ValueError("level: must lie between 0 and 1")
    if times is not None and len(times) != len(values):
        raise ValueError("times: give one for each value")
    often = np.array([whole("times", n) for n in times] if times is not None else [1] * len(values), np.int64)
    n = int(often.sum())
    if n == 0:
        return NOTHING
    order = np.argsort(np.asarray(values, float), kind="stable")
    ordered, upto = np.asarray(values, float)[order], np.cumsum(often[order])

    def ranked(rank: int) -> float:
        return float(ordered[np.searchsorted(upto, rank)])

    # Of probabilities that are as large as the half, to the last digit, none is lost.
    half = (1 - level) / 2 * (1 + 1e-12)
    ranks = np.arange(n)
    # The largest rank of which it is improbable that fewer values lie below; and the smallest from above.
    low = int((scipy.stats.binom.cdf(ranks, n, share) <= half).sum())
    high = int((scipy.stats.binom.sf(ranks, n, share) > half).sum()) + 1
    return Interval(
        ranked(low) if low >= 1 else -math.inf,
        ranked(max(1, math.ceil(share * n - 1e-9))),
        ranked(high) if high <= n else math.inf,
    )
