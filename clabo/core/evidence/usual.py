"""What a count usually is: the range in which the next day's should fall, from such days before."""

from __future__ import annotations

import math
from collections.abc import Sequence

import scipy

from clabo.core.evidence.types import Interval, alpha_of, whole

LEAST_DAYS = 4
# Of fewer in all the upper limit is no lower than a Poisson's with Jeffreys' prior: one after five days of none is nothing.
FEW = 10


def usual_range(counts: Sequence[int], level: float = 0.95) -> Interval:
    """The prediction interval for one more count, from at least four like it; its estimate is their mean.

    Counts vary more than a Poisson's where days differ for reasons of their own, so that their spread is
    estimated. On the scale of 2·sqrt(x + 3/8), where a Poisson count has a variance near 1
    (F. J. Anscombe, "The transformation of Poisson, binomial and negative-binomial data", Biometrika 35, 1948):

        r = 2·sqrt(x + 3/8);   s² = max(1/10, var(r));   mean(r) ± t(n - 1) · s · sqrt(1 + 1/n)

    and back, to the whole counts within. A spread that is held at a Poisson's and limits that are rounded outwards
    would hold 97 to 99 of 100 counts instead of 95. Fewer than four counts give nan limits. Raises ValueError for a negative one.

    Parameters
    ----------
    counts : sequence of int, length n
        Of such days before.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        Of counts.

    Examples
    --------
    >>> usual_range([100, 96, 110, 93, 104, 99, 107, 95])
    Interval(low=86.0, estimate=100.5, high=116.0)
    """
    tail = alpha_of(level) / 2
    for x in counts:
        whole("counts", x)
    n = len(counts)
    if n < LEAST_DAYS:
        return Interval(math.nan, math.nan, math.nan)
    roots = [2 * math.sqrt(x + 0.375) for x in counts]
    centre = sum(roots) / n
    # By luck alone a few counts are all the same.
    spread = max(0.1, sum((r - centre) ** 2 for r in roots) / (n - 1))
    reach = float(scipy.stats.t.isf(tail, n - 1)) * math.sqrt(spread * (1 + 1 / n))

    def back(root: float) -> float:
        return max(0.0, max(0.0, root) ** 2 / 4 - 0.375)

    low, high = math.ceil(back(centre - reach) - 1e-9), math.floor(back(centre + reach) + 1e-9)
    total, mean = sum(counts), sum(counts) / n
    if total < FEW:
        high = max(high, int(scipy.stats.nbinom.ppf(1 - tail, total + 0.5, n / (n + 1))))
    return Interval(float(min(low, math.floor(mean))), mean, float(max(high, math.ceil(mean))))
