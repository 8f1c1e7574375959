"""How long conversions take to come, and how many of recent visits' are still to be expected."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.stats import nbinom

from clabo.core.evidence import Interval
from clabo.core.evidence.types import alpha_of

# With fewer conversions seen nothing is said of how they come.
FEWEST = 20


@dataclass(frozen=True, slots=True)
class Delays:
    """`arrived[d]`: the part of a day's conversions that have come when the day is d days old; 1 in the end."""

    arrived: NDArray[np.float64]
    seen: float

    def part(self, age: int) -> float:
        """The part that has come of what a day of this age will have brought."""
        return float(self.arrived[min(max(age, 0), len(self.arrived) - 1)])


def delays(counts: Mapping[tuple[int, int], float], window: int) -> Delays | None:
    """The delays that a history shows, without taking what is still to come for what never comes.

    Days are seen to different ages, so that plain shares would favour short delays. The reverse-time hazard of a lag,
    of what came within it the part that came at it, is read from the days that are old enough to have shown it; the
    distribution is the product of what is left (chain ladder: Mack, ASTIN Bulletin 23 (1993) 213-225; for
    right-truncated delays: Kalbfleisch & Lawless, Statistica Sinica 1 (1991) 19-32).

    Parameters
    ----------
    counts : mapping of (age of the visits' day, lag) to conversions
        In days; lag 0 on the day of the visit, at most `window`, and never more than the age.
    window : int
        The longest lag that is credited, in days.

    Returns
    -------
    Delays
        None where too few have come to tell.

    Raises
    ------
    ValueError
        When a lag is longer than its age or the window.

    Examples
    --------
    >>> d = delays({(9, 0): 60.0, (9, 1): 40.0, (0, 0): 30.0}, 2)
    >>> d.part(0), d.part(1), d.part(2)
    (0.6, 1.0, 1.0)
    """
    for age, lag in counts:
        if not 0 <= lag <= min(age, window):
            raise ValueError("counts: a lag lies between 0 and its age, and within the window")
    seen = sum(counts.values())
    if seen < FEWEST:
        return None
    arrived = np.ones(window + 1)
    left = 1.0
    for lag in range(window, 0, -1):
        old = {key: n for key, n in counts.items() if key[0] >= lag and key[1] <= lag}
        within = sum(old.values())
        at = sum(n for (_, of), n in old.items() if of == lag)
        left *= 1 - at / within if within else 1.0
        arrived[lag - 1] = left
    return Delays(arrived, seen)


def to_come(found: Delays, days: Sequence[tuple[int, float]], level: float = 0.95) -> Interval:
    """Conversions that are still to come of days of these ages, of which so many have come.

    Of a day with a Poisson number of conversions, of which n came and each had come by now with probability F, those to
    come are negative binomial with n + ½ and F (Jeffreys' prior of the rate); several days by their sum's moments.
    The estimate is n (1 - F) / F.

    >>> i = to_come(Delays(np.array([0.6, 1.0]), 100.0), [(0, 30.0), (1, 70.0)])
    >>> round(i.low), round(i.estimate), round(i.high)
    (10, 20, 33)
    """
    tail = alpha_of(level) / 2
    estimate = mean = variance = 0.0
    for age, n in days:
        part = found.part(age)
        if part >= 1 or part <= 0:
            continue
        estimate += n * (1 - part) / part
        mean += (n + 0.5) * (1 - part) / part
        variance += (n + 0.5) * (1 - part) / part**2
    if variance <= mean or not mean:
        return Interval(0.0, estimate, math.ceil(estimate))
    p = mean / variance
    size = mean * p / (1 - p)
    low, high = float(nbinom.ppf(tail, size, p)), float(nbinom.ppf(1 - tail, size, p))
    return Interval(min(low, estimate), estimate, max(high, estimate))
