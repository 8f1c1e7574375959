"""Measures that a change must not harm: whether a guard holds, fails, or cannot be told yet."""

from __future__ import annotations

import math
from typing import Literal

from clabo.core.evidence.types import Interval

Standing = Literal["holds", "fails", "open"]


def guard_standing(
    difference: Interval, control: float, margin: float, higher_is_better: bool = True
) -> Standing:
    """Where a guard stands: non-inferiority and harm, read from one interval.

    With the limit margin · control: it fails where all of the interval is worse than the limit, and holds where none is
    (Piaggio et al., JAMA 308 (2012) 2594-2604, with the interval's own level). An interval that may be looked at every
    day makes both claims so.

    Parameters
    ----------
    difference : Interval
        Of the measure, challenger minus control.
    control : float
        The control's rate or mean.
    margin : float
        By what part of the control's it may be worse; 0 where it must not be worse at all.
    higher_is_better : bool
        False for what should be low, such as bounces.

    Returns
    -------
    {"holds", "fails", "open"}

    Raises
    ------
    ValueError
        When `margin` is negative.

    Examples
    --------
    >>> guard_standing(Interval(-0.011, -0.002, 0.007), control=0.05, margin=0.1)
    'open'
    >>> guard_standing(Interval(0.06, 0.08, 0.1), control=0.4, margin=0.1, higher_is_better=False)
    'fails'
    """
    if margin < 0:
        raise ValueError("margin: must not be negative")
    if not difference.known or not math.isfinite(control):
        return "open"
    limit = margin * abs(control)
    low, high = (difference.low, difference.high) if higher_is_better else (-difference.high, -difference.low)
    if high < -limit:
        return "fails"
    return "holds" if low > -limit else "open"
