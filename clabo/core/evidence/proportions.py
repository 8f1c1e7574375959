"""One rate and two rates from a fixed sample (definitions: "Evidence")."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

import numpy as np
import scipy
from numpy.typing import ArrayLike, NDArray

from clabo.core.evidence.types import NOTHING, Counts, Interval, alpha_of, z_of

THIN = 5
# Above this many cells SciPy's table of all outcomes takes seconds; see bench/statistics/evidence.py.
_SCIPY_CELLS = 10_000
# Up to this many cells the common rate is sought over all of (0, 1), beyond it in its confidence
# set of level 1 - _BERGER_BOOS only: elsewhere the tables are too many to follow.
_FULL_CELLS = 250_000
_BERGER_BOOS = 1e-9


def is_thin(conversions: int, trials: int) -> bool:
    """Under 5 conversions or 5 failures: too little for a rate to mean much.

    Parameters
    ----------
    conversions, trials : int
        Counts of one page or arm.

    Returns
    -------
    bool
        Whether the rate is shown as too thin to judge.

    Examples
    --------
    >>> is_thin(4, 900)
    True
    >>> is_thin(81, 263)
    False
    """
    return conversions < THIN or trials - conversions < THIN


def rate_intervals(
    conversions: ArrayLike, trials: ArrayLike, level: float = 0.95
) -> tuple[NDArray[np.float64], NDArray[np.float64], NDArray[np.float64]]:
    """Wilson score limits of many rates: arrays (low, estimate, high), nan where trials is 0.

    (p + z²/2n ± z √(p(1-p)/n + z²/4n²)) / (1 + z²/n). Wilson, JASA 22 (1927) 209-212; Brown, Cai
    & DasGupta, Statistical Science 16 (2001) 101-133. Raises ValueError for counts that are negative, impossible or
    no whole numbers.

    Parameters
    ----------
    conversions, trials : array_like of int, shape (n,)
        Counts of each page or arm.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    low, estimate, high : ndarray of float, shape (n,)
        Rates between 0 and 1; nan where `trials` is 0.

    Raises
    ------
    ValueError
        For counts that are negative, impossible or no whole numbers.

    Examples
    --------
    >>> low, estimate, high = rate_intervals([81, 0], [263, 40])
    >>> [round(float(x), 4) for x in high]
    [0.3662, 0.0876]
    """
    x, n = np.asarray(conversions, dtype=float), np.asarray(trials, dtype=float)
    if np.any(n < 0):
        raise ValueError("trials: must not be negative")
    if np.any((x < 0) | (x > n)):
        raise ValueError("conversions: must lie between 0 and trials")
    if np.any(n % 1) or np.any(x % 1):
        raise ValueError("conversions: counts are whole numbers")
    empty = n == 0
    safe = np.where(empty, 1.0, n)
    z2 = z_of(level) ** 2
    estimate = x / safe
    centre = (estimate + z2 / (2 * safe)) / (1 + z2 / safe)
    reach = np.sqrt(z2) / (1 + z2 / safe) * np.sqrt(estimate * (1 - estimate) / safe + z2 / (4 * safe**2))
    # Rounding must not leave the estimate outside at 0 and at n.
    low = np.where(x == 0, 0.0, np.minimum(centre - reach, estimate))
    high = np.where(x == n, 1.0, np.maximum(centre + reach, estimate))
    return tuple(np.where(empty, np.nan, a) for a in (low, estimate, high))  # type: ignore[return-value]


def rate_interval(conversions: int, trials: int, level: float = 0.95) -> Interval:
    """Wilson score interval of one rate.

    Parameters
    ----------
    conversions, trials : int
        Counts of one page or arm.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        A rate between 0 and 1; nan without trials.

    Raises
    ------
    ValueError
        For counts that are negative, impossible or no whole numbers.

    Examples
    --------
    >>> i = rate_interval(81, 263)
    >>> round(i.low, 4), round(i.high, 4)
    (0.2553, 0.3662)
    """
    low, estimate, high = rate_intervals([conversions], [trials], level)
    return Interval(float(low[0]), float(estimate[0]), float(high[0]))


@dataclass(frozen=True, slots=True)
class RateComparison:
    """Challenger against control: `difference` of rates, `ratio` of rates, two-sided `p_value`."""

    difference: Interval
    ratio: Interval
    p_value: float
    method: Literal["score", "boschloo"]


def compare_rates(control: Counts, challenger: Counts, level: float = 0.95) -> RateComparison:
    """Two rates from a fixed sample.

    The difference has Newcombe's hybrid score interval, the ratio Koopman's score interval. The
    p-value is the score test's (pooled z), or Boschloo's where an expected cell count is under 5.

    Parameters
    ----------
    control, challenger : Counts
        Conversions among the visits or visitors of each.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    RateComparison
        Of challenger against control; nan where one has no trials.

    Raises
    ------
    ValueError
        For a level outside 0 to 1.

    Examples
    --------
    >>> c = compare_rates(Counts(217, 4801), Counts(315, 4837))
    >>> round(c.difference.low, 4), round(c.difference.high, 4), c.method
    (0.0108, 0.0291, 'score')
    >>> round(c.p_value, 7)
    1.85e-05
    """
    alpha_of(level)
    if not control.trials or not challenger.trials:
        return RateComparison(NOTHING, NOTHING, math.nan, "score")
    exact = _smallest_expected(control, challenger) < THIN
    return RateComparison(
        difference_interval(control, challenger, level),
        ratio_interval(control, challenger, level),
        boschloo(control, challenger) if exact else _score_test(control, challenger),
        "boschloo" if exact else "score",
    )


def _smallest_expected(a: Counts, b: Counts) -> float:
    total = a + b
    return min(a.trials, b.trials) * min(total.conversions, total.failures) / total.trials


def difference_interval(control: Counts, challenger: Counts, level: float = 0.95) -> Interval:
    """Challenger - control by Newcombe's method 10, from the two Wilson intervals.

    Newcombe, Statistics in Medicine 17 (1998) 873-890.

    Parameters
    ----------
    control, challenger : Counts
        Conversions among trials of each.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        Of the difference of rates.

    Examples
    --------
    >>> i = difference_interval(Counts(48, 80), Counts(56, 70))
    >>> round(i.low, 4), round(i.high, 4)
    (0.0524, 0.3339)
    """
    a = rate_interval(control.conversions, control.trials, level)
    b = rate_interval(challenger.conversions, challenger.trials, level)
    estimate = b.estimate - a.estimate
    return Interval(
        estimate - math.hypot(b.estimate - b.low, a.high - a.estimate),
        estimate,
        estimate + math.hypot(b.high - b.estimate, a.estimate - a.low),
    )


def ratio_interval(control: Counts, challenger: Counts, level: float = 0.95) -> Interval:
    """Challenger / control by the score method: all ratios that the score test does not reject.

    Koopman, Biometrics 40 (1984) 513-517; constrained estimates in the closed form of Miettinen &
    Nurminen, Statistics in Medicine 4 (1985) 213-226, without their N/(N - 1).

    Parameters
    ----------
    control, challenger : Counts
        Conversions among trials of each.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        Of the ratio of rates; infinite where nothing bounds it.

    Examples
    --------
    >>> i = ratio_interval(Counts(24, 74), Counts(36, 40))
    >>> round(i.low, 3), round(i.high, 3)
    (2.001, 3.982)
    """
    x0, n0, x1, n1 = control.conversions, control.trials, challenger.conversions, challenger.trials
    z = z_of(level)
    if not x0 and not x1:
        return Interval(0.0, math.nan, math.inf)
    estimate = math.inf if not x0 else challenger.rate / control.rate

    def score(log_ratio: float) -> float:
        r = math.exp(log_ratio)
        a = (n0 + n1) * r
        b = n1 * r + x1 + n0 + x0 * r
        p0 = (b - math.sqrt(max(0.0, b * b - 4 * a * (x0 + x1)))) / (2 * a)
        p1 = min(1.0, r * p0)
        variance = p1 * (1 - p1) / n1 + r * r * p0 * (1 - p0) / n0
        gap = x1 / n1 - r * x0 / n0
        if variance <= 0:
            return math.copysign(math.inf, gap) if gap else 0.0
        return gap / math.sqrt(variance)

    def limit(target: float) -> float:
        # The score falls as the ratio grows.
        low, high = -30.0, 30.0
        return math.exp(
            scipy.optimize.brentq(
                lambda t: max(-1e9, min(1e9, score(t) - target)), low, high, xtol=1e-14, rtol=1e-14
            )
        )

    low = 0.0 if not x1 else limit(z)
    high = math.inf if not x0 else limit(-z)
    return Interval(low, estimate, high)


def _score_test(a: Counts, b: Counts) -> float:
    total = a + b
    pooled = total.rate
    variance = pooled * (1 - pooled) * (1 / a.trials + 1 / b.trials)
    if variance == 0:
        return 1.0
    return float(2 * scipy.stats.norm.sf(abs(b.rate - a.rate) / math.sqrt(variance)))


# A third of a second for a pair, and the list of tests asks for the same pairs on every screen.
@lru_cache(maxsize=4096)
def boschloo(a: Counts, b: Counts) -> float:
    """Boschloo's exact test, two-sided: twice the smaller one-sided p-value, at most 1.

    Boschloo, Statistica Neerlandica 24 (1970) 1-35. SciPy's for small tables. For larger ones the
    same by following the edge of the rejection region; above 250,000 cells the common rate is
    maximised over within its 1 - 1e-9 confidence set, and 1e-9 is added to the p-value (Berger &
    Boos, JASA 89 (1994) 1012-1016): exact as well, and never less powerful.
    """
    if a.conversions + b.conversions in (0, a.trials + b.trials):
        return 1.0
    if (a.trials + 1) * (b.trials + 1) <= _SCIPY_CELLS:
        table = [[a.conversions, b.conversions], [a.failures, b.failures]]
        one_sided = (
            scipy.stats.boschloo_exact(table, alternative=side, n=64).pvalue for side in ("less", "greater")
        )
        return min(1.0, 2 * min(float(p) for p in one_sided))
    greater = _boschloo_greater(a, b)
    less = _boschloo_greater(b, a)
    return min(1.0, 2 * min(greater, less))


def _boschloo_greater(a: Counts, b: Counts) -> float:
    """sup over the common rate of P(a table at least as extreme, b's rate being the greater).

    Extreme is a small one-sided Fisher p-value. For each count of `a` the extreme counts of `b`
    are those from an edge upwards, and the edge is found by bisection; so the probability at one
    rate is a single sum over the likely counts of `a`. That is taken to be the smaller arm: b converts more where a
    fails more, so that arms and outcomes may be exchanged together.
    """
    if a.trials > b.trials:
        a, b = Counts(b.failures, b.trials), Counts(a.failures, a.trials)
    n0, n1 = a.trials, b.trials
    observed = float(scipy.stats.hypergeom.sf(b.conversions - 1, n0 + n1, a.conversions + b.conversions, n1))
    bar = observed * (1 + 1e-9)
    edges: dict[int, int] = {}

    def edge(x0s: NDArray[np.int64]) -> NDArray[np.int64]:
        unknown = np.array([x for x in x0s.tolist() if x not in edges], dtype=np.int64)
        if unknown.size:
            low, high = np.zeros_like(unknown), np.full_like(unknown, n1 + 1)
            while np.any(low < high):
                middle = (low + high) // 2
                extreme = scipy.stats.hypergeom.sf(middle - 1, n0 + n1, middle + unknown, n1) <= bar
                extreme |= middle > n1
                high = np.where((low < high) & extreme, middle, high)
                low = np.where((low < high) & ~extreme, middle + 1, low)
            edges.update(zip(unknown.tolist(), low.tolist(), strict=True))
        return np.array([edges[x] for x in x0s.tolist()], dtype=np.int64)

    def probability(rate: float) -> float:
        spread = 9 * math.sqrt(n0 * rate * (1 - rate)) + 12
        x0s = np.arange(max(0, int(n0 * rate - spread)), min(n0, int(n0 * rate + spread)) + 1)
        from_edge = edge(x0s)
        weight = scipy.special.bdtr(x0s, n0, rate) - np.where(
            x0s > 0, scipy.special.bdtr(x0s - 1, n0, rate), 0.0
        )
        beyond = np.where(
            from_edge > n1,
            0.0,
            np.where(from_edge <= 0, 1.0, scipy.special.bdtrc(np.maximum(from_edge, 1) - 1, n1, rate)),
        )
        return float(np.sum(weight * beyond))

    if (n0 + 1) * (n1 + 1) <= _FULL_CELLS:
        return _supremum(probability, 1e-6, 1 - 1e-6)
    x, n = a.conversions + b.conversions, n0 + n1
    low, high = (
        scipy.special.betaincinv(x, n - x + 1, _BERGER_BOOS / 2),
        scipy.special.betaincinv(x + 1, n - x, 1 - _BERGER_BOOS / 2),
    )
    return min(1.0, _supremum(probability, float(low), float(high)) + _BERGER_BOOS)


def _supremum(probability: Callable[[float], float], low: float, high: float) -> float:
    """The greatest value over rates from `low` to `high`: a grid, refined around its best points."""
    # Evenly in arcsin of the root, where a binomial is about as wide everywhere.
    grid = np.sin(np.linspace(np.arcsin(np.sqrt(low)), np.arcsin(np.sqrt(high)), 80)) ** 2
    values = [probability(float(r)) for r in grid]
    best = max(values)
    for place in np.argsort(values)[-3:]:
        found = scipy.optimize.minimize_scalar(
            lambda r: -probability(float(r)),
            bounds=(grid[max(0, place - 1)], grid[min(grid.size - 1, place + 1)]),
            method="bounded",
            options={"xatol": 1e-10},
        )
        best = max(best, -float(found.fun))
    return best
