"""Intervals that may be looked at every day (definitions: "Evidence", "Looking every day")."""

from __future__ import annotations

import math

from scipy.special import lambertw

from clabo.core.evidence.types import NOTHING, Interval, Moments, alpha_of

# Conversions (and visitors without one) that each arm must have before the first interval is given.
START_UP = 5


def tuning(planned: int, level: float = 0.95) -> float:
    """ρ² for which the sequence is tightest at `planned` visitors of both arms together.

    Waudby-Smith, Arbour, Sinha, Kennedy & Ramdas, arXiv 2103.06476, section on optimising ρ.
    """
    if planned < 1:
        raise ValueError("planned: must be at least 1")
    alpha = alpha_of(level)
    return float((-lambertw(-(alpha**2) / math.e, -1).real - 1) / planned)


def half_width(n: int, variance: float, planned: int, level: float = 0.95) -> float:
    """Half the width at `n` observations of the given variance each."""
    alpha, rho2 = alpha_of(level), tuning(planned, level)
    spread = n * rho2 + 1
    return math.sqrt(variance) * math.sqrt(2 * spread / (n * n * rho2) * math.log(math.sqrt(spread) / alpha))


def confidence_sequence(
    control: Moments,
    challenger: Moments,
    planned: int,
    level: float = 0.95,
    converted: tuple[int, int] | None = None,
) -> Interval:
    """Difference of means, challenger - control, valid at every look (asymptotically).

    With N = n₀ + n₁ and V = N (s₀²/n₀ + s₁²/n₁) the half width is
    √V √(2 (Nρ² + 1)/(N²ρ²) ln(√(Nρ² + 1)/α)), ρ from `tuning(planned)`.

    `converted` says how many visitors of each arm had a value at all; for 0/1 outcomes it is read
    from the moments. Before START_UP with and without one in each arm the limits are nan: the
    guarantee is asymptotic and does not hold for the first few.
    """
    if control.n < 2 or challenger.n < 2:
        return NOTHING
    if converted is None:
        converted = (_successes(control), _successes(challenger))
    for arm, count in ((control, converted[0]), (challenger, converted[1])):
        if count < START_UP or arm.n - count < START_UP:
            return Interval(math.nan, challenger.mean - control.mean, math.nan)
    n = control.n + challenger.n
    variance = n * (control.variance / control.n + challenger.variance / challenger.n)
    reach = half_width(n, variance, planned, level)
    gap = challenger.mean - control.mean
    return Interval(gap - reach, gap, gap + reach)


def _successes(arm: Moments) -> int:
    """Successes of 0/1 outcomes; START_UP for any other values, of which nothing can be said."""
    binary = arm.mean * (1 - arm.mean) * arm.n / (arm.n - 1)
    if 0 <= arm.mean <= 1 and math.isclose(arm.variance, binary, rel_tol=1e-9, abs_tol=1e-15):
        return round(arm.n * arm.mean)
    return START_UP
