"""Measures that a change must not harm: whether a guard holds, fails, or cannot be told yet."""

from __future__ import annotations

from typing import Literal

from clabo.core.evidence.types import Interval

Standing = Literal["holds", "fails", "open"]


def guard_factor(margin: float, higher_is_better: bool = True) -> float:
    """What the control's rate or mean is multiplied with to be the guard's limit.

    Parameters
    ----------
    margin : float
        By what part of the control's it may be worse; 0 where it must not be worse at all.
    higher_is_better : bool
        False for what should be low, such as bounces.

    Raises
    ------
    ValueError
        When `margin` is negative.

    Examples
    --------
    >>> guard_factor(0.25), guard_factor(0.25, higher_is_better=False)
    (0.75, 1.25)
    """
    if margin < 0:
        raise ValueError("margin: must not be negative")
    return 1 - margin if higher_is_better else 1 + margin


def guard_standing(beyond: Interval, higher_is_better: bool = True) -> Standing:
    """Where a guard stands: non-inferiority and harm, read from one interval.

    It fails where all of the interval is worse than the limit, and holds where none is (Piaggio et al., JAMA 308 (2012)
    2594-2604, with the interval's own level). An interval that may be looked at every day makes both claims so.

    Parameters
    ----------
    beyond : Interval
        Of challenger - `guard_factor` · control, with what is uncertain of both: the limit is known no better than
        the control.
    higher_is_better : bool
        False for what should be low, such as bounces.

    Returns
    -------
    {"holds", "fails", "open"}

    Examples
    --------
    >>> guard_standing(Interval(-0.011, -0.002, 0.007))
    'open'
    >>> guard_standing(Interval(0.02, 0.04, 0.06), higher_is_better=False)
    'fails'
    """
    if not beyond.known:
        return "open"
    low, high = (beyond.low, beyond.high) if higher_is_better else (-beyond.high, -beyond.low)
    if high < 0:
        return "fails"
    return "holds" if low > 0 else "open"
