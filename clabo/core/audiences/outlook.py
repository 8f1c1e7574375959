"""Whether an audience is large enough to advertise to, and when it will be."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
import scipy

Enough = Literal["not_yet", "enough", "plenty"]


def enough(people: int, floor: int, plenty: int) -> Enough:
    """How a size stands against a site's floors."""
    return "not_yet" if people < floor else "enough" if people < plenty else "plenty"


@dataclass(frozen=True, slots=True)
class Outlook:
    """People expected in `days` days, with the limits of that at 95 %, and how many more a day."""

    days: int
    low: float
    expected: float
    high: float
    a_day: float

    def days_until(self, people: float, size: int) -> int | None:
        """In how many days `size` is reached at today's growth; None where it never is."""
        if people >= size:
            return 0
        return math.ceil((size - people) / self.a_day) if self.a_day > 0 else None


def outlook(sizes: Sequence[int], days: int = 7) -> Outlook | None:
    """What the next `days` days bring if they are like the last: a random walk with drift, of whole weeks.

    Parameters
    ----------
    sizes : sequence of int
        At the end of each day, today last; the last 28 changes count.
    days : int
        How far to look.

    Returns
    -------
    Outlook or None
        None where fewer than eight days are known. The interval is the drift's and the days' own spread together:
        `x + h d ± t s sqrt(h + h² / n)` (Hyndman & Athanasopoulos, *Forecasting: principles and practice*, 5.2).

    Examples
    --------
    >>> outlook([10 * day for day in range(29)], 7).expected
    350.0
    """
    if len(sizes) < 8:
        return None
    changes = np.diff(np.asarray(sizes[-29:], dtype=float))
    n, drift = len(changes), float(changes.mean())
    spread = float(changes.std(ddof=1)) * math.sqrt(days + days * days / n)
    t = float(scipy.stats.t.ppf(0.975, n - 1))
    expected = sizes[-1] + days * drift
    return Outlook(
        days, max(0.0, expected - t * spread), max(0.0, expected), max(0.0, expected + t * spread), drift
    )
