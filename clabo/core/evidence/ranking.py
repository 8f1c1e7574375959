"""Which pages are bad (definitions: "Evidence", "Poor performers")."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence.types import Counts, Interval, alpha_of

# Precision (alpha + beta) is kept in this range: beyond it the pages are all alike, or share nothing.
_PRECISION = (1.0, 1e7)


@dataclass(frozen=True, slots=True)
class ShrunkRates:
    """A beta distribution of the site's page rates, and each page's rate drawn towards it."""

    alpha: float
    beta: float
    pages: list[Interval]

    @property
    def typical(self) -> float:
        """The rate of the site's typical page."""
        return self.alpha / (self.alpha + self.beta)


def shrink_rates(counts: Sequence[Counts], level: float = 0.95) -> ShrunkRates:
    """Empirical Bayes by the beta-binomial marginal likelihood.

    Each page's interval is its posterior's, with the posterior mean as estimate. Pages without
    trials get the prior. Raises ValueError when no page has a trial. (Casella, The American
    Statistician 39 (1985) 83-87.)

    Parameters
    ----------
    counts : sequence of Counts, length n
        One for each page.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    ShrunkRates
        With one interval for each page.

    Raises
    ------
    ValueError
        When no page has a trial.

    Examples
    --------
    >>> s = shrink_rates([Counts(30, 1000), Counts(45, 1000), Counts(0, 12)])
    >>> [round(i.estimate, 3) for i in s.pages]
    [0.035, 0.04, 0.037]
    """
    tail = alpha_of(level) / 2
    pages = np.array([(c.conversions, c.trials) for c in counts], dtype=float).reshape(-1, 2)
    # In an order of their own, so that the last digits do not hang on that of the pages.
    x, n = pages[np.lexsort(pages.T)].T
    if not n.sum():
        raise ValueError("counts: at least one page needs a trial")

    def loss(point: NDArray[np.float64]) -> float:
        mean, precision = scipy.special.expit(point[0]), np.exp(point[1])
        a, b = mean * precision, (1 - mean) * precision
        return -float(np.sum(scipy.special.betaln(a + x, b + n - x) - scipy.special.betaln(a, b)))

    def slope(point: NDArray[np.float64]) -> NDArray[np.float64]:
        mean, precision = scipy.special.expit(point[0]), np.exp(point[1])
        a, b = mean * precision, (1 - mean) * precision
        shared = scipy.special.digamma(precision + n) - scipy.special.digamma(precision)
        by_a = -float(np.sum(scipy.special.digamma(a + x) - scipy.special.digamma(a) - shared))
        by_b = -float(np.sum(scipy.special.digamma(b + n - x) - scipy.special.digamma(b) - shared))
        turn = precision * mean * (1 - mean)
        return np.array([turn * (by_a - by_b), a * by_a + b * by_b])

    pooled = (x.sum() + 0.5) / (n.sum() + 1)
    centre = float(np.log(pooled / (1 - pooled)))
    bounds = [(centre - 4, centre + 4), (float(np.log(_PRECISION[0])), float(np.log(_PRECISION[1])))]
    # The likelihood is flat where pages are alike: several starts, the best end.
    point = min(
        (
            scipy.optimize.minimize(
                loss,
                [centre, start],
                jac=slope,
                method="L-BFGS-B",
                bounds=bounds,
                options={"ftol": 1e-15, "gtol": 1e-10, "maxiter": 500},
            ).x
            for start in (2.0, 5.0, 9.0)
        ),
        key=loss,
    )
    # The last digits, which a descent leaves open on a flat top: where the slope is nought.
    with np.errstate(all="ignore"):
        level_point = scipy.optimize.root(slope, point, method="hybr", tol=1e-13).x
    inside = all(low <= v <= high for v, (low, high) in zip(level_point, bounds, strict=True))
    if inside and loss(level_point) <= loss(point) + 1e-9 * abs(loss(point)):
        point = level_point
    mean, precision = float(scipy.special.expit(point[0])), float(np.exp(point[1]))
    a, b = mean * precision, (1 - mean) * precision
    post_a, post_b = a + pages[:, 0], b + pages[:, 1] - pages[:, 0]
    means = post_a / (post_a + post_b)
    # So near to nought or one that the limits underflow, they are no nearer than the mean.
    low = np.minimum(np.asarray(scipy.special.betaincinv(post_a, post_b, tail)), means)
    high = np.maximum(1 - np.asarray(scipy.special.betaincinv(post_b, post_a, tail)), means)
    return ShrunkRates(
        a, b, [Interval(float(lo), float(m), float(hi)) for lo, m, hi in zip(low, means, high, strict=True)]
    )


def lost_conversions(
    counts: Sequence[Counts], intended_exit: Sequence[bool] | None = None, level: float = 0.95
) -> list[float]:
    """Conversions each page lost against the site's typical page: trials · (typical - shrunk rate).

    0 for pages that are as good or better, and for those marked in `intended_exit`, which are also
    left out of what is typical.

    Parameters
    ----------
    counts : sequence of Counts, length n
        One for each page.
    intended_exit : sequence of bool, length n, optional
        Pages that are meant to be left.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    list of float, length n
        Conversions.

    Raises
    ------
    ValueError
        When no page has a trial, or `intended_exit` is of another length.

    Examples
    --------
    >>> [round(x, 1) for x in lost_conversions([Counts(10, 1000), Counts(45, 1000), Counts(40, 1000)])]
    [19.7, 0.0, 0.0]
    """
    marks = list(intended_exit) if intended_exit is not None else [False] * len(counts)
    if len(marks) != len(counts):
        raise ValueError("intended_exit: give one mark for each page")
    judged = [c for c, mark in zip(counts, marks, strict=True) if not mark]
    if not any(c.trials for c in judged):
        return [0.0] * len(counts)
    shrunk = shrink_rates(judged, level)
    rates = iter(shrunk.pages)
    return [
        0.0 if mark else max(0.0, c.trials * (shrunk.typical - next(rates).estimate))
        for c, mark in zip(counts, marks, strict=True)
    ]
