"""Value per visitor: means of two groups (definitions: "Evidence")."""

from __future__ import annotations

import math
from dataclasses import dataclass

import scipy

from clabo.core.evidence.types import NOTHING, Interval, Moments, alpha_of, t_of


@dataclass(frozen=True, slots=True)
class MeanComparison:
    """Challenger - control with Welch's interval, two-sided p-value and degrees of freedom."""

    difference: Interval
    p_value: float
    degrees_of_freedom: float


def standard_error(control: Moments, challenger: Moments) -> float:
    """Of the difference of two means: the larger of what the arms' own variances and their common one make of it.

    With its own variance alone the mean of a small arm of rare or heavy values lies low where its variance does, and is
    called different too often; with the common one alone an arm whose values do vary more is. Both are right where the
    arms are large.

    >>> from clabo.core.evidence.types import Counts
    >>> a, b = Moments.of_counts(Counts(80, 1600)), Moments.of_counts(Counts(8, 400))
    >>> round(standard_error(a, b), 5)
    0.01147
    """
    own = control.variance / control.n + challenger.variance / challenger.n
    common = (control + challenger).variance * (1 / control.n + 1 / challenger.n)
    return math.sqrt(max(own, common))


def compare_means(control: Moments, challenger: Moments, level: float = 0.95) -> MeanComparison:
    """Welch's t, for unequal variances. Welch, Biometrika 34 (1947) 28-35.

    Needs two values on each side, and two that differ; nan otherwise: values that are all the same say nothing of how
    far others may lie.

    Parameters
    ----------
    control, challenger : Moments
        Number, mean and variance of the values of each, in the site's money.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    MeanComparison
        In the unit of the values.

    Raises
    ------
    ValueError
        For a level outside 0 to 1.

    Examples
    --------
    >>> c = compare_means(Moments.of([1.0, 2.0, 4.0]), Moments.of([2.0, 5.0, 7.0]))
    >>> round(c.difference.low, 3), round(c.difference.high, 3)
    (-2.81, 7.477)
    """
    alpha_of(level)
    if control.n < 2 or challenger.n < 2:
        return MeanComparison(NOTHING, math.nan, math.nan)
    a, b = control.variance / control.n, challenger.variance / challenger.n
    gap = challenger.mean - control.mean
    if a + b == 0:
        return MeanComparison(NOTHING, math.nan, math.nan)
    error = math.sqrt(a + b)
    # By shares of the variance: its square would underflow for tiny values.
    df = 1 / ((a / (a + b)) ** 2 / (control.n - 1) + (b / (a + b)) ** 2 / (challenger.n - 1))
    reach = t_of(level, df) * error
    return MeanComparison(
        Interval(gap - reach, gap, gap + reach), float(2 * scipy.stats.t.sf(abs(gap) / error, df)), df
    )
