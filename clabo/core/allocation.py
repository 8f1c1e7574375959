"""Where the next euro is best spent, by what the last ones brought (definitions: "Money").

What comes of spend is counted in conversions, so each place (a page under a source, say) has a rate per unit of money:
conversions Poisson with mean rate · spend, the rates of all places Gamma (Gaver & O'Muircheartaigh, Technometrics 29
(1987) 1-15, as empirical Bayes). A place that did well by luck is drawn towards the others before it is believed.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy import optimize, special, stats

from clabo.core.evidence import Interval

# Beyond so much of what a place spends already, the past says little of what more would bring.
STEP = 0.2
# As sure as that, or nothing is said.
LEAST_SURE = 0.9
_GRID = 400


@dataclass(frozen=True, slots=True)
class Spent:
    """What one place has spent and brought: money in one currency, `each` the value of a conversion."""

    spend: float
    conversions: int
    each: float


@dataclass(frozen=True, slots=True)
class Move:
    """Money to move from one place to another, over as long again as was looked at.

    `give` and `take` are places in the list. `gain` is the change in value · margin, with its interval; `sure` the
    chance that it is above nothing.
    """

    give: int
    take: int
    amount: float
    gain: Interval
    sure: float


def shrunk_rates(places: Sequence[Spent]) -> tuple[float, float]:
    """Shape and rate of the Gamma that the places' conversions per unit of money come from, by maximum likelihood.

    Parameters
    ----------
    places : sequence of Spent
        At least one with spend.

    Returns
    -------
    (shape, rate) : float
        A place with n conversions of s spent then has the posterior Gamma(shape + n, rate + s). Where all places do
        alike the shape is large, up to the limit of 1e4.

    Raises
    ------
    ValueError
        Where nothing was spent, or nothing converted.

    Notes
    -----
    Counts given their spend are negative binomial: the marginal likelihood is maximised in the logarithms of shape
    and mean.
    """
    counts = np.array([p.conversions for p in places], float)
    spends = np.array([p.spend for p in places], float)
    if np.any(spends <= 0) or counts.sum() <= 0:
        raise ValueError("places: each needs spend, and all together a conversion")
    mean = counts.sum() / spends.sum()

    def minus_likelihood(point: np.ndarray) -> float:
        shape, rate = math.exp(point[0]), math.exp(point[0] - point[1])
        return -float(
            np.sum(
                special.gammaln(shape + counts)
                - special.gammaln(shape)
                + shape * math.log(rate)
                - (shape + counts) * np.log(rate + spends)
            )
        )

    bounds = [(math.log(0.05), math.log(1e4)), (math.log(mean) - 4, math.log(mean) + 4)]
    starts = [np.array([math.log(s), math.log(mean)]) for s in (0.5, 5.0, 100.0)]
    best = min(
        (optimize.minimize(minus_likelihood, s, method="L-BFGS-B", bounds=bounds) for s in starts),
        key=lambda r: float(r.fun),
    )
    return math.exp(best.x[0]), math.exp(best.x[0] - best.x[1])


def surer(a: tuple[float, float], b: tuple[float, float], times: float = 1.0) -> float:
    """P(A > times · B) of independent Gamma variables, each given by shape and rate.

    A's rate over B's, each over its mean, follows Snedecor's F with twice the shapes as degrees of freedom.

    >>> round(surer((5.0, 1.0), (5.0, 1.0)), 3)
    0.5
    """
    ratio = times * (b[0] / b[1]) / (a[0] / a[1])
    return float(stats.f.sf(ratio, 2 * a[0], 2 * b[0]))


def best_move(places: Sequence[Spent], margin: float = 1.0, level: float = 0.95) -> Move | None:
    """The move between two places that is expected to bring most; None where the evidence supports none.

    Parameters
    ----------
    places : sequence of Spent
        What each has spent and brought over the same days; those without spend are passed over.
    margin : float
        The part of a conversion's value that is earned, above 0 and at most 1.
    level : float
        Of the gain's interval.

    Returns
    -------
    Move or None
        `amount` is at most STEP of what the place that takes it spends, and at most all of what the other spends:
        so far, more of the same is taken to bring as much per unit of money as before.
    """
    if not 0 < margin <= 1:
        raise ValueError("margin: above 0, at most 1")
    known = [i for i, p in enumerate(places) if p.spend > 0]
    if len(known) < 2 or sum(places[i].conversions for i in known) == 0:
        return None
    shape, rate = shrunk_rates([places[i] for i in known])
    posterior = {i: (shape + places[i].conversions, rate + places[i].spend) for i in known}
    worth = {i: margin * places[i].each for i in known}
    mean = {i: worth[i] * posterior[i][0] / posterior[i][1] for i in known}
    best: Move | None = None
    for take in known:
        for give in known:
            if mean[take] <= mean[give] or not worth[take]:
                continue
            sure = surer(posterior[take], posterior[give], worth[give] / worth[take]) if worth[give] else 1.0
            amount = min(STEP * places[take].spend, places[give].spend)
            expected = amount * (mean[take] - mean[give])
            if sure >= LEAST_SURE and (best is None or expected > best.gain.estimate):
                gain = _gain(posterior[take], worth[take], posterior[give], worth[give], amount, level)
                best = Move(give, take, amount, Interval(gain[0], expected, gain[1]), sure)
    return best


def _gain(
    take: tuple[float, float],
    worth_take: float,
    give: tuple[float, float],
    worth_give: float,
    amount: float,
    level: float,
) -> tuple[float, float]:
    """Limits of amount · (what the one brings - what the other does), from equally likely values of each."""
    points = (np.arange(_GRID) + 0.5) / _GRID
    brings = worth_take * stats.gamma.ppf(points, take[0], scale=1 / take[1])
    brought = worth_give * stats.gamma.ppf(points, give[0], scale=1 / give[1])
    both = amount * (brings[:, None] - brought[None, :])
    low, high = np.quantile(both, [(1 - level) / 2, (1 + level) / 2])
    return float(low), float(high)
