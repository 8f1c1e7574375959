"""After how many days nearly all of those who will convert have done so: a split test compares nobody before."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

# Of all arms together so many of the conversions that will come have come by then; of each arm with enough of them so many.
TOGETHER, EACH = 0.95, 0.97
ENOUGH = 40
# Whoever converts within so many hours does so at once.
AT_ONCE_HOURS = 2

Whole = NDArray[np.int64]


def conversion_window(arms: list[tuple[Whole, Whole]]) -> int:
    """Days from an exposure within which conversions are compared; 0 where they come at once.

    Where one arm's visitors take longer, comparing all as they stand would call it worse while theirs are on their way.
    Compared are conversions within the window, of exposures that are older than it: alike in every arm. As long as
    conversions go on coming late, the window is nearly as long as the test has run, and nobody is compared yet.

    Parameters
    ----------
    arms : list of (ages, lags)
        Of each arm's first conversions: whole days that the exposure's day has been over, and hours from the exposure.

    Returns
    -------
    int
        The least number of days by which 95 of 100 conversions of all arms have come, and 97 of each that has 40.

    Notes
    -----
    Recent exposures have shown short delays only. The reverse-time hazard of a lag is read from exposures old enough to
    have shown it (`delays`; Kalbfleisch & Lawless, Statistica Sinica 1 (1991) 19-32).

    Examples
    --------
    >>> at_once = np.full(40, 9), np.zeros(40, dtype=int)
    >>> conversion_window([at_once, at_once])
    0
    >>> conversion_window([at_once, (np.full(40, 9), np.full(40, 75))])
    4
    """
    ages = np.concatenate([ages for ages, _ in arms]) if arms else np.zeros(0, dtype=np.int64)
    lags = np.concatenate([lags for _, lags in arms]) if arms else np.zeros(0, dtype=np.int64)
    windows = [_window(ages, lags, TOGETHER)]
    windows += [_window(a, of, EACH) for a, of in arms if len(a) >= ENOUGH]
    return max(windows)


def _window(ages: Whole, lags: Whole, part: float) -> int:
    days = lags // 24
    seen = days < ages
    ages, days, lags = ages[seen], days[seen], lags[seen]
    if not len(ages):
        return 0
    arrived = 1.0
    window = int(ages.max())
    for step in range(window - 1, 0, -1):
        old = (ages > step) & (days <= step)
        within = int(old.sum())
        arrived *= 1 - int((days[old] == step).sum()) / within if within else 1.0
        if arrived < part:
            return step + 1
    at_once = float((lags < AT_ONCE_HOURS).mean()) * arrived
    return 0 if at_once >= part else 1
