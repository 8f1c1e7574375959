"""More than one challenger, and whether the split itself is broken (definitions: "Evidence")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy

BROKEN_BELOW = 0.001


def holm(p_values: Sequence[float]) -> list[float]:
    """Holm-adjusted p-values, in the order given. Holm, Scand. J. Statistics 6 (1979) 65-70.

    Parameters
    ----------
    p_values : sequence of float, length m
        Between 0 and 1; nan where nothing could be compared.

    Returns
    -------
    list of float, length m
        Never smaller than those given. What could not be compared stays nan and is none of those that are told apart.

    Raises
    ------
    ValueError
        For a p-value outside 0 to 1.

    Examples
    --------
    >>> holm([0.01, 0.04, 0.03])
    [0.03, 0.06, 0.06]
    """
    known = [place for place, p in enumerate(p_values) if not math.isnan(p)]
    if any(not 0 <= p_values[place] <= 1 for place in known):
        raise ValueError("p_values: must lie between 0 and 1")
    adjusted = [math.nan] * len(p_values)
    so_far = 0.0
    for rank, place in enumerate(sorted(known, key=p_values.__getitem__)):
        so_far = max(so_far, min(1.0, (len(known) - rank) * p_values[place]))
        adjusted[place] = so_far
    return adjusted


@dataclass(frozen=True, slots=True)
class SplitHealth:
    """How well exposures fit the configured shares; broken at p < 0.001, however often it is looked at."""

    p_value: float
    broken: bool


# How closely the shares of a broken split are supposed to lie about the configured ones: from some 9 of 100 of them to 0.3.
_CONCENTRATIONS = np.array([30.0, 300.0, 3000.0, 30_000.0])


def split_health(observed: Sequence[int], shares: Sequence[float]) -> SplitHealth:
    """Whether `observed` exposures may be of `shares` (any positive scale), with a p-value that holds at every look.

    A Bayes factor of shares that are Dirichlet about the configured ones, against these, is a martingale while the split
    is as configured: 1 / BF lies below 0.001 at any look of any number of them in one of a thousand tests at most (Lindon &
    Malek, "Anytime-valid inference for multinomial count data", NeurIPS 2022; Ville's inequality):

        BF = mean over c of B(cθ + n) / (B(cθ) · Π θ_i^n_i),   c = 30, 300, 3000, 30,000

    No exposures: p is nan and nothing is broken.

    Parameters
    ----------
    observed : sequence of int, length k
        Exposures of each variant.
    shares : sequence of float, length k
        As configured, positive.

    Returns
    -------
    SplitHealth
        With the p-value, at most 1.

    Raises
    ------
    ValueError
        Naming the argument that is impossible.

    Examples
    --------
    >>> split_health([5020, 4980], [50, 50]).broken
    False
    >>> split_health([5400, 4600], [50, 50]).broken
    True
    """
    if len(observed) != len(shares) or len(shares) < 2:
        raise ValueError("shares: give one for each of at least two variants")
    if min(shares) <= 0:
        raise ValueError("shares: must be positive")
    if min(observed) < 0:
        raise ValueError("observed: must not be negative")
    if not sum(observed):
        return SplitHealth(math.nan, False)
    counts = np.asarray(observed, dtype=float)
    parts = np.asarray(shares, dtype=float) / math.fsum(shares)
    prior = _CONCENTRATIONS[:, None] * parts
    log_factors = (
        np.sum(
            scipy.special.gammaln(prior + counts) - scipy.special.gammaln(prior) - counts * np.log(parts),
            axis=1,
        )
        + scipy.special.gammaln(_CONCENTRATIONS)
        - scipy.special.gammaln(_CONCENTRATIONS + counts.sum())
    )
    log_factor = float(scipy.special.logsumexp(log_factors)) - math.log(len(_CONCENTRATIONS))
    p = math.exp(min(0.0, -log_factor))
    return SplitHealth(p, p < BROKEN_BELOW)
