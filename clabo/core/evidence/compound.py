"""What a number of conversions brings, where both the number and each one's value are chance (definitions: "ROAS interval")."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.types import NOTHING, Interval, alpha_of

# With fewer degrees of freedom for how much values differ nothing bounds what one more might bring.
LEAST_FREEDOM = 4
_POINTS = 1024
_ENOUGH_BEYOND = 20
# A variance of logarithms beyond this is nobody's order values: it only overflows.
_MOST_VARIANCE = 60.0


@dataclass(frozen=True, slots=True)
class ValueSums:
    """Sums over conversions, shares counted as shares, so that those of several rows add up.

    `count` of those whose value is known, `total` and `squares` of the values; `positive` of those above nought, `logs` and
    `log_squares` of the natural logarithms of these.
    """

    count: float = 0.0
    total: float = 0.0
    squares: float = 0.0
    positive: float = 0.0
    logs: float = 0.0
    log_squares: float = 0.0

    @classmethod
    def of(cls, values: Iterable[float]) -> ValueSums:
        """Of values, 0 or more, one by one.

        >>> ValueSums.of([1.0, 1.0, 0.0])
        ValueSums(count=3, total=2.0, squares=2.0, positive=2, logs=0.0, log_squares=0.0)
        """
        every = [float(v) for v in values]
        logs = [math.log(v) for v in every if v > 0]
        return cls(
            *(len(every), math.fsum(every), math.fsum(v * v for v in every)),
            *(len(logs), math.fsum(logs), math.fsum(x * x for x in logs)),
        )

    @classmethod
    def of_share(cls, share: float, value: float) -> ValueSums:
        """Of a share of one conversion, and what the share is worth.

        >>> ValueSums.of_share(0.5, 1.0).squares  # half of one of 2
        2.0
        """
        whole = value / share
        log = math.log(whole) if whole > 0 else 0.0
        counted = share if whole > 0 else 0.0
        return cls(share, value, value * whole, counted, counted * log, counted * log * log)

    def __add__(self, other: ValueSums) -> ValueSums:
        return ValueSums(
            self.count + other.count,
            self.total + other.total,
            self.squares + other.squares,
            self.positive + other.positive,
            self.logs + other.logs,
            self.log_squares + other.log_squares,
        )


NO_VALUES = ValueSums()


@dataclass(frozen=True, slots=True)
class Spread:
    """How much values differ within the rows of a site, taken together.

    `deviations` are the squared deviations of logarithms from their row's mean, with `freedom` degrees of freedom; `typical`
    is what a conversion brings that is drawn by its value (E V² / E V): where a row has none, one like it could have come.
    With `fixed` every conversion is worth the same by rule. `dispersion`: how many times as much as a Poisson number's the
    number of conversions varies from day to day (`dispersion_of`).
    """

    deviations: float
    freedom: float
    typical: float
    fixed: bool = False
    dispersion: float = 1.0

    @classmethod
    def of(
        cls, rows: Iterable[ValueSums], each: float, fixed: bool = False, dispersion: float = 1.0
    ) -> Spread:
        """Of rows, each with its own mean; `each` is what one is worth where none has come."""
        deviations = freedom = 0.0
        whole = NO_VALUES
        for row in rows:
            whole += row
            if row.positive > 1:
                deviations += max(0.0, row.log_squares - row.logs**2 / row.positive)
                freedom += row.positive - 1
        typical = whole.squares / whole.total if whole.total > 0 else each
        return cls(deviations, freedom, each if fixed else typical, fixed, max(1.0, dispersion))

    @property
    def relative_variance(self) -> float | None:
        """The variance of one value over the square of its mean, as of a log-normal; None where too few tell.

        >>> round(Spread(10.0, 40.0, 1.0).relative_variance, 6)  # exp(10 / 40) - 1
        0.284025
        """
        if self.fixed:
            return 0.0
        if self.freedom < LEAST_FREEDOM:
            return None
        return math.expm1(min(self.deviations / self.freedom, _MOST_VARIANCE))


def dispersion_of(rows: Iterable[Iterable[tuple[float, float]]]) -> float:
    """By how much numbers of a day vary more than a Poisson's: Pearson's X² over its degrees of freedom, of all rows together.

    McCullagh & Nelder, Generalized Linear Models (1989), § 4.5. Of each row, pairs of what came on a day and what was spent
    for it; expected is a part of all that came in proportion to what was spent. At least 1.

    Examples
    --------
    >>> dispersion_of([[(2, 10.0), (2, 10.0)]])
    1.0
    >>> dispersion_of([[(8, 10.0), (0, 10.0)]])
    8.0
    """
    total = freedom = 0.0
    for row in rows:
        days = [(came, spent) for came, spent in row if spent > 0]
        came, spent = math.fsum(c for c, _ in days), math.fsum(s for _, s in days)
        if len(days) < 2 or not came:
            continue
        total += math.fsum((c - came * s / spent) ** 2 / (came * s / spent) for c, s in days)
        freedom += len(days) - 1
    return max(1.0, total / freedom) if freedom else 1.0


def expected_total(sums: ValueSums, spread: Spread, level: float = 0.95) -> Interval:
    """The expected sum of values of which `sums` came, as an interval.

    The number of conversions is Poisson, or varies `spread.dispersion` times as much. Below are the gamma limits for a weighted sum of Poisson counts, which suppose
    nothing of the values (Fay & Feuer, Statistics in Medicine 16 (1997) 791-801, with w = Σv²/Σv). They know nothing of
    large values that could have come and did not. So the upper limit is no lower than the fiducial one of a log-normal mean
    (Krishnamoorthy & Mathew, J. Stat. Plan. Inference 115 (2003) 103-121) times a Poisson number with Jeffreys' prior,
    with the variance of logarithms pooled over the site's rows:

        ln T = ln Γ(n + ½) + x̄ + Z·σ/√n + σ²/2,   σ² = Σd² / χ²(ν)

    Parameters
    ----------
    sums : ValueSums
        Of one row.
    spread : Spread
        Of all rows, this one included.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    Interval
        In the unit of the values. The upper limit is infinite where values differ and too few are known to say how much.

    Examples
    --------
    >>> same = ValueSums.of([59.0] * 10)
    >>> found = expected_total(same, Spread.of([same], 59.0, fixed=True))
    >>> round(found.low / 59, 3), found.estimate, round(found.high / 59, 3)
    (4.795, 590.0, 18.39)
    """
    tail = alpha_of(level) / 2
    y, v = sums.total, sums.squares
    weight = v / y if y > 0 else spread.typical
    if not weight:
        return NOTHING
    low = 0.0
    if y > 0:
        low = (
            v
            * spread.dispersion
            / y
            * float(scipy.special.gammaincinv(y * y / (v * spread.dispersion), tail))
        )
    yw, vw = y + weight, (v + weight * weight) * spread.dispersion
    high = vw / yw * float(scipy.special.gammaincinv(yw * yw / vw, 1 - tail))
    if sums.positive > 0 and not spread.fixed:
        high = max(high, _lognormal_high(sums, spread, tail))
    return Interval(low, y, high)


def chance_of_more(sums: ValueSums, spread: Spread, target: float, enough: float = 1.0) -> float:
    """The evidence against an expected total as high as `target`: the smallest one-sided level at which it is left out.

    Where it is above `enough` it may be too small a number: no more is reckoned than it takes to know that.

    The upper limit's of `expected_total`, turned round, by quadrature (Gauss-Hermite) so that it holds far out in the tail.
    1 where nothing can be said.

    Examples
    --------
    >>> none = ValueSums()
    >>> round(chance_of_more(none, Spread(0.0, 0.0, 50.0, fixed=True), 250.0), 5)  # exp(-5)
    0.00674
    """
    y, v = sums.total, sums.squares
    weight = v / y if y > 0 else spread.typical
    if not weight or target <= 0:
        return 1.0
    yw, vw = y + weight, (v + weight * weight) * spread.dispersion
    chance = float(scipy.special.gammaincc(yw * yw / vw, target * yw / vw))
    if sums.positive > 0 and not spread.fixed and chance <= enough:
        if spread.freedom < LEAST_FREEDOM:
            return 1.0
        chance = max(chance, _lognormal_chance(sums, spread, math.log(target)))
    return min(1.0, chance)


def chance_of_less(sums: ValueSums, spread: Spread, target: float) -> float:
    """The evidence against an expected total as low as `target`: the lower limit's of `expected_total`, turned round.

    Examples
    --------
    >>> ten = ValueSums.of([59.0] * 10)
    >>> round(chance_of_less(ten, Spread.of([ten], 59.0, fixed=True), 59 * 4.795), 3)
    0.025
    """
    y, v = sums.total, sums.squares * spread.dispersion
    if y <= 0 or v <= 0:
        return 1.0
    return float(scipy.special.gammainc(y * y / v, max(0.0, target) * y / v))


def _lognormal_chance(sums: ValueSums, spread: Spread, log_target: float) -> float:
    z, share = _nodes()
    n = sums.positive
    variance = np.minimum(spread.deviations / _chi_square(spread.freedom, z), _MOST_VARIANCE)[:, None]
    needed = log_target - sums.logs / n - np.sqrt(variance / n) * z[None, :] - variance / 2
    shape = (n + 0.5) / spread.dispersion
    tail = scipy.special.gammaincc(shape, np.exp(np.minimum(needed, 700.0)) / spread.dispersion)
    return float(share @ tail @ share)


def _lognormal_high(sums: ValueSums, spread: Spread, tail: float) -> float:
    if spread.freedom < LEAST_FREEDOM:
        return math.inf
    z = _scores()
    n = sums.positive
    variance = np.minimum(spread.deviations / _chi_square(spread.freedom, z[:, 0]), _MOST_VARIANCE)
    number = spread.dispersion * _gamma((n + 0.5) / spread.dispersion, z[:, 1])
    logs = np.log(number) + sums.logs / n + np.sqrt(variance / n) * z[:, 2] + variance / 2
    place = min(_POINTS - 1, int(_POINTS * (1 - tail)))
    found = float(np.partition(logs, place)[place])
    if tail * _POINTS < _ENOUGH_BEYOND:
        # So far out there are too few points: there it is looked for by quadrature, which is slower.
        def above(at: float) -> float:
            return _lognormal_chance(sums, spread, at) - tail

        up = down = 1.0
        while above(found + up) > 0:
            up *= 2
        while above(found - down) <= 0:
            down *= 2
        found = scipy.optimize.brentq(above, found - down, found + up, xtol=1e-4)
    return math.exp(found)


def _gamma(shape: float, z: NDArray[np.float64]) -> NDArray[np.float64]:
    """Quantiles of a gamma variable at normal scores. Wilson & Hilferty, PNAS 17 (1931) 684-688."""
    cube = np.maximum(1 - 1 / (9 * shape) + z / (3 * math.sqrt(shape)), 1e-4)
    return np.asarray(shape * cube**3)


def _chi_square(freedom: float, z: NDArray[np.float64]) -> NDArray[np.float64]:
    return 2 * _gamma(freedom / 2, z)


@cache
def _scores() -> NDArray[np.float64]:
    """The same points for everybody, spread evenly (Sobol): an interval does not change from one look to the next."""
    even = scipy.stats.qmc.Sobol(3, scramble=True, rng=np.random.default_rng(1)).random(_POINTS)
    return np.asarray(scipy.stats.norm.ppf(np.clip(even, 1e-9, 1 - 1e-9)))


@cache
def _nodes() -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    nodes, weights = np.polynomial.hermite_e.hermegauss(60)
    return nodes, weights / weights.sum()
