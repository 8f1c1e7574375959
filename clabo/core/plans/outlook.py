"""What a plan may bring: an ad network's practice weeks, and the site's own past (definitions: "Plans")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from clabo.core.evidence import Counts

Floats = NDArray[np.float64]

# A new plan's people are not those of the past: its rate lies about theirs with at least such a coefficient of variation,
# and where the past is of other pages, with such a one (docs/evidence.md has how often the ranges held).
LEAST_SPREAD, SPREAD_ELSEWHERE = 0.45, 0.7
# From so many clicks of the past on it says something.
LEAST_CLICKS = 100
DRAWS = 60


@dataclass(frozen=True, slots=True)
class Practice:
    """A practice week: people reached, times shown, cost in the site's money, clicks of each creative."""

    reached: int
    shown: int
    cost: float
    clicks: tuple[int, ...]


@dataclass(frozen=True, slots=True)
class Past:
    """Clicks and conversions of each campaign that led to a page; `elsewhere`: to other pages of the site."""

    campaigns: tuple[Counts, ...]
    elsewhere: bool = False

    @property
    def whole(self) -> Counts:
        """All of them together."""
        return sum(self.campaigns, Counts(0, 0))


@dataclass(frozen=True, slots=True)
class Worth:
    """What a conversion brought so far: mean and standard deviation, in the site's money."""

    mean: float
    deviation: float = 0.0


@dataclass(frozen=True, slots=True)
class Range:
    """Of ten weeks, nine are expected between `low` and `high`, half of them above `middle`; `high` may be infinite."""

    low: float
    middle: float
    high: float


@dataclass(frozen=True, slots=True)
class Outlook:
    """What a week may bring. None where nothing tells: conversions without a past, money without a value."""

    reached: Range
    shown: Range
    cost: Range
    clicks: Range
    conversions: Range | None
    cost_of_one: Range | None
    roas: Range | None


def outlook(
    weeks: Sequence[Practice], past: Sequence[Past | None], worth: Worth | None, seed: int = 1
) -> Outlook:
    """What a plan may bring in a week.

    What the weeks have is read off them: of n weeks and one more, all alike, the one more lies between the k-th lowest and the
    k-th highest with 1 - 2k/(n + 1), whatever the distribution (90 % with k = 2 for 39 weeks; David & Nagaraja, Order Statistics, 3rd ed.,
    section 7.3). Of people and times shown the limits lie half way to the next ones out. Conversions: the rate of a new campaign on a page is drawn about those of the campaigns before it, beta with the
    variance between them (method of moments, as DerSimonian & Laird 1986 have it for effects) or LEAST_SPREAD if that is more, and of each
    week's clicks so many convert (binomial).

    Parameters
    ----------
    weeks : sequence of Practice
        At least 19.
    past : sequence of Past or None
        Of the page that each creative leads to; None where nothing is known.
    worth : Worth or None
        What a conversion brings.
    seed : int
        The same weeks give the same outlook.

    Returns
    -------
    Outlook

    Raises
    ------
    ValueError
        For fewer than 19 weeks, or weeks of another number of creatives.

    Examples
    --------
    >>> weeks = [Practice(900 + n, 2000, 98.0, (60 + n,)) for n in range(39)]
    >>> found = outlook(weeks, [Past((Counts(40, 1000), Counts(70, 1500)))], Worth(59.0))
    >>> found.reached, found.conversions.low < found.conversions.middle < found.conversions.high
    (Range(low=900, middle=919, high=938), True)
    """
    if len(weeks) < 19:
        raise ValueError("weeks: at least 19 are needed")
    if any(len(w.clicks) != len(past) for w in weeks):
        raise ValueError("past: one for each creative")
    conversions = None if None in past else _conversions(weeks, [p for p in past if p], seed)
    costs = np.repeat([w.cost for w in weeks], DRAWS)
    value = None
    if conversions is not None and worth is not None:
        value = _value(conversions, worth, seed)
    return Outlook(
        _of_weeks([w.reached for w in weeks]),
        _of_weeks([w.shown for w in weeks]),
        _of_weeks([w.cost for w in weeks], outwards=0.0),
        _of_weeks([sum(w.clicks) for w in weeks], outwards=0.0),
        None if conversions is None else _of_draws(conversions),
        None if conversions is None else _of_draws(_over(costs, conversions)),
        None if value is None or not costs.any() else _of_draws(_over(value, costs, 0.0)),
    )


def seen_so_often(weeks: Sequence[Sequence[int]]) -> list[float]:
    """How many people see it 0, 1, 2 … times, on average over practice weeks.

    Examples
    --------
    >>> seen_so_often([[5, 3, 2], [7, 1, 2]])
    [6.0, 2.0, 2.0]
    """
    return [float(n) for n in np.mean(np.asarray(weeks, dtype=np.float64), axis=0)] if len(weeks) else []


def _of_weeks(values: Sequence[float], outwards: float = 0.5) -> Range:
    ordered = sorted(values)
    k = max(1, (len(ordered) + 1) // 20)
    before = max(1, k - 1)
    # Who comes and goes meanwhile, no practice week knows: a part of a step further out.
    low = ordered[k - 1] + outwards * (ordered[before - 1] - ordered[k - 1])
    high = ordered[-k] + outwards * (ordered[-before] - ordered[-k])
    if all(float(v).is_integer() for v in ordered):
        low, high = math.floor(low), math.ceil(high)
    return Range(low, ordered[len(ordered) // 2], high)


def _of_draws(values: Floats) -> Range:
    # Of whole numbers the limits are numbers that can be.
    low, middle, high = np.quantile(values, (0.05, 0.5, 0.95), method="closest_observation")
    return Range(float(low), float(middle), float(high))


def _over(numerator: Floats, denominator: Floats, nothing: float = math.inf) -> Floats:
    found = np.full(len(numerator), nothing)
    # Less than half a cent is nothing.
    np.divide(numerator, denominator, out=found, where=denominator >= 0.005)
    return found


def _conversions(weeks: Sequence[Practice], past: Sequence[Past], seed: int) -> Floats:
    chance = np.random.default_rng(seed)
    clicks = np.repeat([w.clicks for w in weeks], DRAWS, axis=0)
    # The people are the plan's, whatever page they come to: the rates of all creatives go up and down together.
    rank = chance.random(len(clicks))
    rates = np.stack([np.quantile(_rates(p, chance), rank) for p in past], axis=1)
    return np.asarray(chance.binomial(clicks, rates).sum(axis=1), dtype=np.float64)


def _rates(past: Past, chance: np.random.Generator) -> Floats:
    """Rates that a new campaign on the page may have."""
    whole = past.whole
    mean = (whole.conversions + 0.5) / (whole.trials + 1)
    trials = np.array([c.trials for c in past.campaigns if c.trials], dtype=np.float64)
    rates = np.array([c.rate for c in past.campaigns if c.trials])
    between = 0.0
    if len(trials) > 1:
        # Beyond what chance explains.
        scatter = float((trials * (rates - mean) ** 2).sum())
        free = float(trials.sum() - (trials**2).sum() / trials.sum())
        between = max(0.0, (scatter - (len(trials) - 1) * mean * (1 - mean)) / free) if free > 0 else 0.0
    least = SPREAD_ELSEWHERE if past.elsewhere else LEAST_SPREAD
    variance = max(between, (least * mean) ** 2) + mean * (1 - mean) / (whole.trials + 1)
    size = max(mean * (1 - mean) / min(variance, 0.9 * mean * (1 - mean)) - 1, 0.1)
    return np.asarray(chance.beta(mean * size, (1 - mean) * size, 4000))


def _value(conversions: Floats, worth: Worth, seed: int) -> Floats:
    """What so many conversions bring together: gamma, with their mean and variance."""
    if worth.deviation <= 0.001 * worth.mean:
        return np.asarray(conversions * worth.mean, dtype=np.float64)
    chance = np.random.default_rng(seed + 1)
    shape = (worth.mean / worth.deviation) ** 2
    found = np.zeros(len(conversions))
    some = conversions > 0
    found[some] = chance.gamma(conversions[some] * shape, worth.mean / shape)
    return found
