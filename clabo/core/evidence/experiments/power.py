"""How long a test must run (definitions: "Evidence", "Plan")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import scipy

from clabo.core.evidence.experiments.sequential import half_width
from clabo.core.evidence.types import z_of


@dataclass(frozen=True, slots=True)
class SamplePlan:
    """Visitors for each arm (control first) and in all, with what they were planned for."""

    per_arm: list[int]
    total: int
    difference: float
    # Variance of one observation of the control and of a challenger that is as good as hoped.
    variances: tuple[float, float]
    power: float
    level: float


def _shares(arms: int, shares: Sequence[float] | None) -> list[float]:
    if arms < 2:
        raise ValueError("arms: a test has a control and at least one challenger")
    given = list(shares) if shares is not None else [1.0] * arms
    if len(given) != arms or min(given) <= 0:
        raise ValueError("shares: give a positive one for each arm")
    return [s / math.fsum(given) for s in given]


def _quantiles(power: float, level: float) -> tuple[float, float]:
    if not 0 < power < 1:
        raise ValueError("power: must lie between 0 and 1, for example 0.8")
    return z_of(level), float(scipy.stats.norm.ppf(power))


def _plan(
    control_size: float,
    shares: list[float],
    difference: float,
    variances: tuple[float, float],
    power: float,
    level: float,
) -> SamplePlan:
    per_arm = [math.ceil(control_size * s / shares[0] - 1e-9) for s in shares]
    return SamplePlan(per_arm, sum(per_arm), difference, variances, power, level)


def _rate_size(p0: float, p1: float, k: float, za: float, zb: float) -> float:
    """Visitors of the control for a challenger k times its size."""
    pooled = (p0 + k * p1) / (1 + k)
    null = za * math.sqrt(pooled * (1 - pooled) * (1 + 1 / k))
    alternative = zb * math.sqrt(p0 * (1 - p0) + p1 * (1 - p1) / k)
    return ((null + alternative) / (p1 - p0)) ** 2


def plan_rate_test(
    baseline: float,
    smallest_lift: float,
    power: float = 0.8,
    level: float = 0.95,
    arms: int = 2,
    shares: Sequence[float] | None = None,
) -> SamplePlan:
    """Visitors to find a relative lift of `smallest_lift` over the rate `baseline`, two-sided.

    Variance pooled under no difference, separate under the alternative; no continuity correction.
    Fleiss, Levin & Paik, Statistical Methods for Rates and Proportions (3rd ed. 2003), ch. 4.
    The smallest challenger decides when shares differ. Challengers are each planned at `level`.

    Parameters
    ----------
    baseline : float
        The control's rate, between 0 and 1.
    smallest_lift : float
        Relative: 0.2 is a fifth more.
    power : float
        Probability of finding it, between 0 and 1.
    level : float
        Confidence level, between 0 and 1.
    arms : int
        The control and its challengers, at least two.
    shares : sequence of float, optional
        Of the traffic, in any unit; even shares without.

    Returns
    -------
    SamplePlan
        Visitors of each arm.

    Raises
    ------
    ValueError
        Naming the argument that is impossible.

    Examples
    --------
    >>> plan_rate_test(0.04, 0.2).per_arm
    [10317, 10317]
    """
    p1 = baseline * (1 + smallest_lift)
    if not 0 < baseline < 1:
        raise ValueError("baseline: must lie between 0 and 1")
    if smallest_lift == 0 or not 0 < p1 < 1:
        raise ValueError("smallest_lift: must lead to another rate between 0 and 1")
    za, zb = _quantiles(power, level)
    given = _shares(arms, shares)
    size = _rate_size(baseline, p1, min(given[1:]) / given[0], za, zb)
    variances = (baseline * (1 - baseline), p1 * (1 - p1))
    return _plan(size, given, p1 - baseline, variances, power, level)


def one_rate_size(typical: float, other: float, power: float = 0.8, level: float = 0.95) -> int:
    """Trials to tell one rate from a known one, two-sided: how large a page's sample must be to be judged.

    Normal approximation without continuity correction, n = ((z₁√(p₀q₀) + z₂√(p₁q₁)) / (p₁ - p₀))². Fleiss, Levin &
    Paik, Statistical Methods for Rates and Proportions (3rd ed. 2003), §2.4.

    Parameters
    ----------
    typical, other : float
        The known rate, and the one that is to be told from it; between 0 and 1, not alike.
    power : float
        Probability of telling them apart, between 0 and 1.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    int
        Trials, rounded up.

    Raises
    ------
    ValueError
        Naming the argument that is impossible.

    Examples
    --------
    >>> one_rate_size(0.04, 0.02)
    630
    """
    for name, rate in (("typical", typical), ("other", other)):
        if not 0 < rate < 1:
            raise ValueError(f"{name}: must lie between 0 and 1")
    if typical == other:
        raise ValueError("other: must differ from typical")
    za, zb = _quantiles(power, level)
    root = za * math.sqrt(typical * (1 - typical)) + zb * math.sqrt(other * (1 - other))
    return math.ceil((root / (other - typical)) ** 2)


def plan_mean_test(
    mean: float,
    deviation: float,
    smallest_lift: float,
    power: float = 0.8,
    level: float = 0.95,
    arms: int = 2,
    shares: Sequence[float] | None = None,
) -> SamplePlan:
    """The same for a value per visitor with this mean and standard deviation (normal approximation).

    Parameters
    ----------
    mean, deviation : float
        Of the value per visitor, both positive.
    smallest_lift : float
        Relative: 0.2 is a fifth more.
    power : float
        Probability of finding it, between 0 and 1.
    level : float
        Confidence level, between 0 and 1.
    arms : int
        The control and its challengers, at least two.
    shares : sequence of float, optional
        Of the traffic, in any unit; even shares without.

    Returns
    -------
    SamplePlan
        Visitors of each arm.

    Raises
    ------
    ValueError
        Naming the argument that is impossible.

    Examples
    --------
    >>> plan_mean_test(2.5, 12.0, 0.2).total
    18084
    """
    if mean <= 0:
        raise ValueError("mean: must be positive")
    if deviation <= 0:
        raise ValueError("deviation: must be positive")
    if smallest_lift == 0:
        raise ValueError("smallest_lift: must not be 0")
    za, zb = _quantiles(power, level)
    given = _shares(arms, shares)
    difference = mean * smallest_lift
    k = min(given[1:]) / given[0]
    size = (za + zb) ** 2 * deviation**2 * (1 + 1 / k) / difference**2
    return _plan(size, given, difference, (deviation**2, deviation**2), power, level)


def detectable_lift(baseline: float, per_arm: int, power: float = 0.8, level: float = 0.95) -> float:
    """The smallest relative lift that `per_arm` visitors in each of two arms can find.

    The inverse of `plan_rate_test`; infinite where even a rate of nearly 1 could not be found.

    Parameters
    ----------
    baseline : float
        The control's rate, between 0 and 1.
    per_arm : int
        Visitors, at least 2.
    power : float
        Probability of finding it.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    float
        Relative.

    Raises
    ------
    ValueError
        Naming the argument that is impossible.

    Examples
    --------
    >>> round(detectable_lift(0.04, 10_311), 2)
    0.2
    """
    if not 0 < baseline < 1:
        raise ValueError("baseline: must lie between 0 and 1")
    if per_arm < 2:
        raise ValueError("per_arm: must be at least 2")
    za, zb = _quantiles(power, level)

    def short(p1: float) -> float:
        return _rate_size(baseline, p1, 1.0, za, zb) - per_arm

    low, high = baseline + 1e-12, 1 - 1e-12
    if short(high) > 0:
        return math.inf
    return float(scipy.optimize.brentq(short, low, high, xtol=1e-14) / baseline - 1)


def days_needed(plan: SamplePlan, visitors_per_day: float) -> int:
    """Days until `plan` is filled, in whole weeks, so that each weekday counts alike.

    Parameters
    ----------
    plan : SamplePlan
        What is to be filled.
    visitors_per_day : float
        Who take part, of all arms together; positive.

    Returns
    -------
    int
        A multiple of seven.

    Raises
    ------
    ValueError
        For a number of visitors that is not positive.

    Examples
    --------
    >>> days_needed(plan_rate_test(0.04, 0.2), 900)
    28
    """
    if visitors_per_day <= 0:
        raise ValueError("visitors_per_day: must be positive")
    return 7 * math.ceil(plan.total / visitors_per_day / 7 - 1e-9)


def sequential_cost(plan: SamplePlan) -> float:
    """How many times the planned visitors the always-honest reading needs for the same power.

    The visitors at which the confidence sequence excludes 0 with that probability, judged at that
    moment alone; a lucky earlier crossing makes the true cost a little smaller.

    Parameters
    ----------
    plan : SamplePlan
        Of a test of rates.

    Returns
    -------
    float
        Times the plan's visitors.

    Examples
    --------
    >>> round(sequential_cost(plan_rate_test(0.04, 0.2)), 1)
    1.9
    """
    shares = [plan.per_arm[0] / plan.total, min(plan.per_arm[1:]) / plan.total]
    variance = sum(v / s for v, s in zip(plan.variances, shares, strict=True))
    _, zb = _quantiles(plan.power, plan.level)

    def short(log_times: float) -> float:
        n = plan.total * math.exp(log_times)
        reach = half_width(max(1, round(n)), variance, plan.total, plan.level)
        return reach + zb * math.sqrt(variance / n) - abs(plan.difference)

    return float(math.exp(scipy.optimize.brentq(short, -3.0, 6.0, xtol=1e-6)))
