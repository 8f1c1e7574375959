"""What a difference is that was looked at until it was large: an estimate without the luck of the day that it stopped on."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
import scipy

from clabo.core.evidence.experiments.daily import Look, continued


def first_crossing(looks: Sequence[Look]) -> int | None:
    """The place of the first look whose interval leaves nought out; None where none does.

    >>> from clabo.core.evidence.types import Interval
    >>> first_crossing([Look(0, 0.5, 3.0, Interval(-1, 1, 3)), Look(1, 1.0, 2.0, Interval(0.1, 1.1, 2.1))])
    1
    """
    return next((n for n, x in enumerate(looks) if x.interval.low > 0 or x.interval.high < 0), None)


def median_unbiased(looks: Sequence[Look]) -> float:
    """The difference that lies below the truth as often as above it, at the first look that called one.

    Stopping once a difference is large stops, more often than not, on a day on which luck was added to it: the plain
    estimate is too high on average. By the stage-wise order, in which earlier crossings are more extreme, and among those of
    one look larger differences, it is the difference θ at which what is as extreme as what was seen has probability ½ (Emerson
    & Fleming, Biometrika 77 (1990) 875-892; Tsiatis, Rosner & Mehta, Biometrics 40 (1984) 797-803).

    Parameters
    ----------
    looks : sequence of Look
        All looks so far, of `daily.looks`.

    Returns
    -------
    float
        In the unit of the difference; nan where no look has called one.

    Examples
    --------
    >>> from clabo.core.evidence.types import Interval
    >>> one = [Look(0, 1.0, 1.96, Interval(0.2, 2.16, 4.12))]  # a single look is stopped by nothing
    >>> round(median_unbiased(one), 6)
    2.16
    """
    last = first_crossing(looks)
    if last is None:
        return math.nan
    until = looks[: last + 1]
    seen = until[-1]
    error = (seen.interval.high - seen.interval.estimate) / seen.bound
    z = abs(seen.interval.estimate) / error

    def more_extreme(drift: float) -> float:
        """P(crossing above before, or being there above what was seen), of a drift at time 1."""
        before, crossed = 0.0, 0.0
        places, masses = np.zeros(1), np.ones(1)
        for look in until:
            spread, moved = math.sqrt(look.time - before), places + drift * (look.time - before)
            root = math.sqrt(look.time)
            above = z if look is seen else look.bound
            if math.isfinite(above):
                crossed += float(masses @ scipy.special.ndtr((moved - above * root) / spread))
            places, masses = continued(look, moved, masses, spread, drift)
            before = look.time
        return crossed

    plain = z / math.sqrt(seen.time)
    low, high = plain - 6 / math.sqrt(seen.time), plain + 6 / math.sqrt(seen.time)
    drift = float(scipy.optimize.brentq(lambda d: more_extreme(d) - 0.5, low, high, xtol=1e-6))
    return math.copysign(drift * math.sqrt(seen.time) * error, seen.interval.estimate)
