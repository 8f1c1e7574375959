"""Differences with less noise: each arm as if it had the same mix of visitors, by what was known before the test."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping, Sequence
from typing import TypeVar

from clabo.core.evidence.types import Moments

K = TypeVar("K", bound=Hashable)
# With fewer in an arm a stratum's variance says too little; it is put together with others.
FEWEST_IN_STRATUM = 30


def adjusted(arms: Sequence[Mapping[K, Moments]]) -> list[Moments]:
    """Each arm's mean over the mix of strata of all arms together, with the variance that it leaves.

    Strata are made of what was known of a visitor before they were exposed, so that the split is by lot within each. The
    difference of two of these means is that of a regression on the arm, the strata and their interactions, centred (Lin,
    Annals of Applied Statistics 7 (2013) 295-318), and Σ wₛ² (s²ₛ₀/nₛ₀ + s²ₛ₁/nₛ₁) its variance (Miratrix, Sekhon & Yu, JRSS B
    75 (2013) 369-396). `means.standard_error` makes of both arms' what it makes of plain ones.

    Parameters
    ----------
    arms : sequence of mapping
        For each arm its strata, each with the size, mean and variance of its visitors' outcomes.

    Returns
    -------
    list of Moments
        `n` is the arm's; `variance / n` is the variance of its adjusted mean. With one stratum, or too few visitors to
        tell several apart, the arm's own moments.

    Examples
    --------
    >>> a = {"new": Moments.of([0] * 90 + [1] * 10), "back": Moments.of([0] * 50 + [1] * 50)}
    >>> b = {"new": Moments.of([0] * 180 + [1] * 20), "back": Moments.of([0] * 50 + [1] * 50)}
    >>> [round(m.mean, 3) for m in adjusted([a, b])], round(sum(b.values(), Moments(0, 0.0, 0.0)).mean, 3)
    ([0.26, 0.26], 0.233)
    """
    wholes = [sum(of.values(), Moments(0, 0.0, 0.0)) for of in arms]
    strata = _large_enough(arms)
    if len(strata) < 2:
        return wholes
    total = sum(m.n for m in wholes)
    found = []
    for place, whole in enumerate(wholes):
        mean = variance = 0.0
        for stratum in strata:
            mine = stratum[place]
            weight = sum(m.n for m in stratum) / total
            mean += weight * mine.mean
            variance += weight**2 * mine.variance / mine.n
        found.append(Moments(whole.n, mean, variance * whole.n))
    return found


def saved(plain: float, adjusted_error: float) -> float:
    """The part of the visitors that the adjustment saves: so many fewer would show as much as without it.

    >>> round(saved(0.010, 0.009), 3)
    0.19
    """
    return 1 - (adjusted_error / plain) ** 2 if plain > 0 else math.nan


def _large_enough(arms: Sequence[Mapping[K, Moments]]) -> list[list[Moments]]:
    """Strata with enough in each arm, small ones put together; by arm in each."""
    every = [
        [of.get(key, Moments(0, 0.0, 0.0)) for of in arms]
        for key in dict.fromkeys(k for of in arms for k in of)
    ]
    every.sort(key=lambda stratum: min(m.n for m in stratum))
    found: list[list[Moments]] = []
    rest = [Moments(0, 0.0, 0.0) for _ in arms]
    for stratum in every:
        if min(m.n for m in stratum) >= FEWEST_IN_STRATUM and not _few(rest):
            found.append(stratum)
        else:
            rest = [a + b for a, b in zip(rest, stratum, strict=True)]
    return [*found, rest] if any(m.n for m in rest) and min(m.n for m in rest) >= FEWEST_IN_STRATUM else found


def _few(rest: Sequence[Moments]) -> bool:
    """There is a rest, and too little of it to stand by itself."""
    return any(m.n for m in rest) and min(m.n for m in rest) < FEWEST_IN_STRATUM
