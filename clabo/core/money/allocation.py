"""Where the next euro is best spent, by what the last ones brought (definitions: "Money").

A place is a page under a source, say. What it returns has three parts that are each known only in part: how many
conversions a unit of money brings, what one of them is worth, and how much less the next unit brings than the last.
Each is drawn towards what the other places show before it is believed, and all of the doubt is carried into the gain:
so the best of many places is not taken for as good as luck made it look.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence import Interval, dispersion_of

# Beyond so much of what a place spends already, the past says little of what more would bring.
STEP = 0.2
# As sure as that, or nothing is said.
LEAST_SURE = 0.95
# What is supposed before anything is seen: places differ by half (in logarithms), a place's elasticity is about 0.7.
_DIFFER = 0.5
_ELASTICITY, _LIKE_SITES, _LIKE_PLACES = 0.7, 10.0, 4.0
_DRAWS = 4000
# Pairs are looked at in the order of what they promise.
_CANDIDATES = 16
_DAYS_OF_A_STEP = 7

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Spent:
    """What one place has spent and brought: money in one currency, `each` the mean value of its conversions.

    `spread` is the variance of one conversion's value over the square of its mean: 0 where all are worth the same. Without
    one it is taken from how far the places' means lie apart. `days` are pairs of conversions and spend of single days, in
    order, as far back as they are to say how conversions follow spend.
    """

    spend: float
    conversions: int
    each: float
    spread: float | None = None
    days: Sequence[tuple[float, float]] = ()


@dataclass(frozen=True, slots=True)
class Move:
    """Money to move from one place to another, over as long again as was looked at.

    `give` and `take` are places in the list. `gain` is the change in value · margin, with its interval; `sure` the
    chance that it is above nothing. `elasticity` is the power by which conversions of all places grow with spend.
    """

    give: int
    take: int
    amount: float
    gain: Interval
    sure: float
    elasticity: Interval


def best_move(
    places: Sequence[Spent], margin: float = 1.0, level: float = 0.95, least_sure: float = LEAST_SURE
) -> Move | None:
    """The move between two places that is expected to bring most; None where the evidence supports none.

    Parameters
    ----------
    places : sequence of Spent
        What each has spent and brought over the same days; those without spend are passed over.
    margin : float
        The part of a conversion's value that is earned, above 0 and at most 1.
    level : float
        Of the gain's interval.
    least_sure : float
        How probable a gain has to be.

    Returns
    -------
    Move or None
        `amount` is at most STEP of what the place that takes it spends, and at most all of what the other spends.

    Notes
    -----
    Three models, each with a distribution over the places that is learnt from them, all integrated by drawing:

    - conversions are Poisson, or vary as much more as days show, with rates λ that are Gamma (Gaver & O'Muircheartaigh,
      Technometrics 29 (1987) 1-15), the standard deviation of places half-normal (Gelman, Bayesian Analysis 1 (2006) 515-534);
    - logarithms of mean values are normal about μ, with the sampling variance ln(1 + spread / n);
    - a place's conversions grow as spend^β with 0 < β ≤ 1 (falling returns): β is Beta about the site's own, which is Beta
      about 0.7. Weeks of unlike spend tell: given how many came in all, those of a week are multinomial in spend^β.

    Moved by a, with spends s and returns r = λ · value:

        gain = r_t s_t ((1 + a/s_t)^β_t - 1) - r_g s_g (1 - (1 - a/s_g)^β_g)

    Being of a posterior with places drawn together, gain and interval need no further correction for having picked the
    best (Senn, Biometrical Journal 50 (2008) 1038-1050), as far as the places are as the models say.
    """
    if not 0 < margin <= 1:
        raise ValueError("margin: above 0, at most 1")
    known = sorted(
        (i for i, p in enumerate(places) if p.spend > 0),
        key=lambda i: (*_numbers(places[i]), i),
    )
    if len(known) < 2 or sum(places[i].conversions * places[i].each for i in known) <= 0:
        return None
    # The same points for everybody: what is said does not change from one look to the next.
    chance = np.random.default_rng(1)
    those = [places[i] for i in known]
    dispersion = dispersion_of(p.days for p in those)
    rates = _Rates(those, dispersion)
    worths = _Worths(those)
    elasticities = _Elasticities(those, dispersion)
    spends = np.array([p.spend for p in those])
    amounts = np.minimum(STEP * spends[:, None], spends[None, :])
    promises = amounts * np.subtract.outer(*[rates.means * worths.means * elasticities.means] * 2)
    # Only those that could be it are drawn: takers down, givers across.
    order = np.argsort(-promises, axis=None, kind="stable")[: _CANDIDATES * _CANDIDATES]
    pairs = [(int(k) // len(those), int(k) % len(those)) for k in order]
    pairs = [(t, g) for t, g in pairs if t != g and promises[t, g] > 0]
    if not pairs:
        return None
    needed = sorted({at for pair in pairs for at in pair})
    at = {place: n for n, place in enumerate(needed)}
    returns = rates.drawn(needed, chance) * worths.drawn(needed, chance)
    powers = elasticities.drawn(needed, chance)
    best: Move | None = None
    for take, give in pairs:
        amount = float(amounts[take, give])
        more = spends[take] * np.expm1(powers[at[take]] * math.log1p(amount / spends[take]))
        kept = max(0.0, 1 - amount / spends[give]) ** powers[at[give]]
        gains = margin * (returns[at[take]] * more - returns[at[give]] * spends[give] * (1 - kept))
        sure, expected = float(np.mean(gains > 0)), float(np.mean(gains))
        if sure >= least_sure and (best is None or expected > best.gain.estimate):
            low, high = np.quantile(gains, [(1 - level) / 2, (1 + level) / 2])
            gain = Interval(float(low), expected, float(high))
            best = Move(known[give], known[take], amount, gain, sure, elasticities.of_all)
    return best


def _numbers(place: Spent) -> tuple[object, ...]:
    """By which places stand in an order that does not hang on how they were given."""
    spread = -1.0 if place.spread is None else place.spread
    return place.spend, place.conversions, place.each, spread, tuple(place.days)


def elasticity(places: Sequence[Spent]) -> Interval:
    """By which power a place's conversions grow with its spend, of all places together, with the interval of 95 %.

    Without weeks of unlike spend it is what is supposed beforehand.
    """
    return _Elasticities(places, dispersion_of(p.days for p in places)).of_all


class _Rates:
    """Conversions per unit of money of each place, given all of them."""

    def __init__(self, places: Sequence[Spent], dispersion: float) -> None:
        self._counts = np.array([p.conversions for p in places], float) / dispersion
        self._spends = np.array([p.spend for p in places], float) / dispersion
        mean = self._counts.sum() / self._spends.sum()
        deviations = np.geomspace(0.02, 2.0, 30)
        logs = np.linspace(-2.0, 2.0, 61)
        shape = 1 / np.repeat(deviations, len(logs)) ** 2
        self._shape = shape
        self._rate = shape / (mean * np.exp(np.tile(logs, len(deviations))))
        likelihood = np.sum(
            scipy.special.gammaln(shape[:, None] + self._counts)
            - scipy.special.gammaln(shape)[:, None]
            + (shape * np.log(self._rate))[:, None]
            - (shape[:, None] + self._counts) * np.log(self._rate[:, None] + self._spends),
            axis=1,
        )
        # The points lie evenly in logarithms: each stands for as much as it is large.
        self._share = _normalised(likelihood + _half_normal(1 / np.sqrt(shape)) - np.log(shape) / 2)
        posterior = (shape[:, None] + self._counts) / (self._rate[:, None] + self._spends)
        self.means: Floats = self._share @ posterior

    def drawn(self, which: Sequence[int], chance: np.random.Generator) -> Floats:
        at = chance.choice(len(self._share), _DRAWS, p=self._share)
        counts, spends = self._counts[list(which)], self._spends[list(which)]
        return np.asarray(
            chance.gamma(self._shape[at] + counts[:, None]) / (self._rate[at] + spends[:, None])
        )


class _Worths:
    """What a conversion of each place is worth in the mean, given all of them."""

    def __init__(self, places: Sequence[Spent]) -> None:
        told = [p.conversions > 0 and p.each > 0 for p in places]
        n = np.array([p.conversions if of else 0 for p, of in zip(places, told, strict=True)], float)
        logs = np.array([math.log(p.each) if of else 0.0 for p, of in zip(places, told, strict=True)])
        spread = _spread(places, n, logs)
        with np.errstate(divide="ignore"):
            variance = np.where(n > 0, np.log1p(spread / np.maximum(n, 1)), np.inf)
        # A logarithm of a mean lies below that of what it estimates by half its variance.
        self._logs = np.where(n > 0, logs + np.minimum(variance, 10) / 2, 0.0)
        self._variance = np.maximum(variance, 1e-9)
        self._deviations = np.concatenate([[1e-4], np.geomspace(0.02, 2.0, 30)])
        total = self._deviations[:, None] ** 2 + self._variance
        weight = 1 / total
        self._weights = weight.sum(axis=1)
        self._centres = (weight * self._logs).sum(axis=1) / self._weights
        seen = np.isfinite(self._variance)
        likelihood = -0.5 * (
            np.log(total[:, seen]).sum(axis=1)
            + np.log(self._weights)
            + (weight * (self._logs - self._centres[:, None]) ** 2).sum(axis=1)
        )
        self._share = _normalised(
            likelihood + _half_normal(self._deviations) + np.log(np.gradient(self._deviations))
        )
        kept = self._deviations[:, None] ** 2 / total
        mean = self._centres[:, None] + kept * (self._logs - self._centres[:, None])
        # Which is the whole deviation where nothing is known of a place itself.
        variance_left = 1 / (1 / self._deviations[:, None] ** 2 + 1 / self._variance)
        self.means: Floats = self._share @ np.exp(mean + variance_left / 2)

    def drawn(self, which: Sequence[int], chance: np.random.Generator) -> Floats:
        at = chance.choice(len(self._share), _DRAWS, p=self._share)
        centre = self._centres[at] + chance.standard_normal(_DRAWS) / np.sqrt(self._weights[at])
        deviation = self._deviations[at]
        drawn = []
        for i in which:
            own = self._variance[i]
            left = 1 / (1 / deviation**2 + 1 / own)
            mean = centre + left / own * (self._logs[i] - centre)
            drawn.append(np.exp(mean + np.sqrt(left) * chance.standard_normal(_DRAWS)))
        return np.array(drawn)


def _spread(places: Sequence[Spent], n: Floats, logs: Floats) -> Floats:
    """Each place's relative variance of a value; where it is not said, as much as the means lie apart by."""
    seen = n > 0
    apart = 0.0
    if seen.sum() > 1:
        middle = float((n[seen] @ logs[seen]) / n[seen].sum())
        apart = math.expm1(min(5.0, float(n[seen] @ (logs[seen] - middle) ** 2) / float(seen.sum() - 1)))
    return np.array([apart if p.spread is None else p.spread for p in places])


_CENTRES = np.linspace(0.3, 0.98, 18)
_POWERS = (np.arange(25) + 0.5) / 25


@cache
def _centre_prior() -> Floats:
    """Log density of each centre."""
    like = _ELASTICITY * _LIKE_SITES, (1 - _ELASTICITY) * _LIKE_SITES
    prior: Floats = scipy.stats.beta.logpdf(_CENTRES, *like)
    return prior


@cache
def _place_prior() -> Floats:
    """Of a place, given the site's centre: a row for each centre, a column for each power."""
    edges = np.linspace(0, 1, 26)
    return np.diff([scipy.stats.beta.cdf(edges, c * _LIKE_PLACES, (1 - c) * _LIKE_PLACES) for c in _CENTRES])


class _Elasticities:
    """The power by which each place's conversions grow with its spend, given all of them."""

    def __init__(self, places: Sequence[Spent], dispersion: float) -> None:
        self._told = np.exp([_told_by(_weeks(p.days), dispersion) for p in places])
        each = self._told @ _place_prior().T
        self.centre_share: Floats = _normalised(
            np.log(np.maximum(each, 1e-300)).sum(axis=0) + _centre_prior()
        )
        self.means: Floats = np.array(
            [self.centre_share @ self._given(i) @ _POWERS for i in range(len(places))]
        )

    @property
    def of_all(self) -> Interval:
        """The site's, with the interval of 95 %."""
        sums = np.cumsum(self.centre_share)
        low, high = (
            float(_CENTRES[min(len(_CENTRES) - 1, int(np.searchsorted(sums, q)))]) for q in (0.025, 0.975)
        )
        return Interval(low, float(self.centre_share @ _CENTRES), high)

    def _given(self, place: int) -> Floats:
        """The chances of a place's powers (columns), given the site's centre (rows)."""
        joint = self._told[place] * _place_prior()
        return np.asarray(joint / np.maximum(joint.sum(axis=1, keepdims=True), 1e-300))

    def drawn(self, which: Sequence[int], chance: np.random.Generator) -> Floats:
        centre = chance.choice(len(_CENTRES), _DRAWS, p=self.centre_share)
        drawn = []
        for place in which:
            below = np.cumsum(self._given(place), axis=1)[centre]
            at = (below < chance.random(_DRAWS)[:, None]).sum(axis=1)
            drawn.append(_POWERS[np.minimum(at, len(_POWERS) - 1)])
        return np.array(drawn)


def _weeks(days: Sequence[tuple[float, float]]) -> Floats:
    """Conversions and spend of whole weeks in which something was spent, the last one counted first."""
    back = list(days)[::-1]
    weeks = [back[n : n + _DAYS_OF_A_STEP] for n in range(0, len(back), _DAYS_OF_A_STEP)]
    sums = [(sum(c for c, _ in w), sum(s for _, s in w)) for w in weeks if len(w) == _DAYS_OF_A_STEP]
    return np.array([w for w in sums if w[1] > 0], float).reshape(-1, 2)


def _told_by(weeks: Floats, dispersion: float) -> Floats:
    """The log likelihood of each power, the greatest at 0."""
    if len(weeks) < 2:
        return np.zeros(len(_POWERS))
    counts, logs = weeks[:, 0], np.log(weeks[:, 1] / weeks[:, 1].mean())
    terms = _POWERS[:, None] * logs
    found = (terms @ counts - counts.sum() * scipy.special.logsumexp(terms, axis=1)) / dispersion
    return np.asarray(found - found.max())


def _half_normal(deviations: Floats) -> Floats:
    return -0.5 * (deviations / _DIFFER) ** 2


def _normalised(logs: Floats) -> Floats:
    shares = np.exp(logs - logs.max())
    return np.asarray(shares / shares.sum())
