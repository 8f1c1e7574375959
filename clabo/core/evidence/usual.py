"""What a count usually is: the range in which the next day's should fall, from such days before."""

from __future__ import annotations

import math
from collections.abc import Sequence

from scipy import stats

from clabo.core.evidence.types import Interval, alpha_of, whole

LEAST_DAYS = 4


def usual_range(counts: Sequence[int], level: float = 0.95) -> Interval:
    """The prediction interval for one more count, from at least four like it; its estimate is their mean.

    Counts vary more than a Poisson's where days differ for reasons of their own, so that their spread is
    estimated, never below a Poisson's. On the scale of 2·sqrt(x + 3/8), where a Poisson count has a variance near 1
    (F. J. Anscombe, "The transformation of Poisson, binomial and negative-binomial data", Biometrika 35, 1948):

        r = 2·sqrt(x + 3/8);   s² = max(1, var(r));   mean(r) ± t(n - 1) · s · sqrt(1 + 1/n)

    and back, widened to whole counts. Fewer than four counts give nan limits. Raises ValueError for a negative one.

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
    Interval(low=76.0, estimate=100.5, high=128.0)
    """
    tail = alpha_of(level) / 2
    for x in counts:
        whole("counts", x)
    n = len(counts)
    if n < LEAST_DAYS:
        return Interval(math.nan, math.nan, math.nan)
    roots = [2 * math.sqrt(x + 0.375) for x in counts]
    centre = sum(roots) / n
    spread = max(1.0, sum((r - centre) ** 2 for r in roots) / (n - 1))
    reach = float(stats.t.isf(tail, n - 1)) * math.sqrt(spread * (1 + 1 / n))

    def back(root: float) -> float:
        return max(0.0, max(0.0, root) ** 2 / 4 - 0.375)

    return Interval(
        float(math.floor(back(centre - reach))), sum(counts) / n, float(math.ceil(back(centre + reach)))
    )
