"""A fair fight between pages with different traffic (definitions: "Evidence", "Fair fight")."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from typing import TypeVar

import scipy

from clabo.core.evidence.proportions import difference_interval
from clabo.core.evidence.types import NOTHING, Counts, Interval, z_of

K = TypeVar("K", bound=Hashable)


@dataclass(frozen=True, slots=True)
class FairComparison:
    """Two pages with the mix of their traffic evened out.

    `control_rate` and `challenger_rate` are standardised to the pooled mix; `difference` is the
    Mantel-Haenszel risk difference with Sato's interval; `raw` the plain one with Newcombe's.
    `left_out` names strata seen on one side only. `reversed`: raw and adjusted signs are opposite.
    """

    control_rate: float
    challenger_rate: float
    difference: Interval
    raw: Interval
    heterogeneity_q: float
    heterogeneity_df: int
    heterogeneity_p: float
    left_out: list[Hashable]
    reversed: bool


Stratum = tuple[str, str, Hashable]  # channel, source, device
LEAST_ENTRIES = 20


def pool_small(
    strata: Mapping[Stratum, tuple[Counts, Counts]], least: int = LEAST_ENTRIES
) -> dict[tuple[str, str | None, Hashable], tuple[Counts, Counts]]:
    """Strata of source and device, with small sources of a channel taken together (definitions: "Fair fight").

    A source with fewer than `least` entries on either side, over all devices, is pooled within its channel; None
    stands for these sources.

    Parameters
    ----------
    strata : mapping
        From (channel, source, device) to the counts of control and challenger.
    least : int
        Entries on either side under which a source is pooled.

    Returns
    -------
    dict
        From (channel, source or None, device) to counts.

    Examples
    --------
    >>> strata = {("paid", "meadow", 1): (Counts(9, 300), Counts(8, 310)), ("paid", "tiny", 1): (Counts(0, 4), Counts(1, 3))}
    >>> list(pool_small(strata, least=20))
    [('paid', 'meadow', 1), ('paid', None, 1)]
    """
    entries: dict[tuple[str, str], list[int]] = {}
    for (channel, source, _), (a, b) in strata.items():
        sums = entries.setdefault((channel, source), [0, 0])
        sums[0] += a.trials
        sums[1] += b.trials
    found: dict[tuple[str, str | None, Hashable], tuple[Counts, Counts]] = {}
    for (channel, source, device), (a, b) in strata.items():
        own = source if min(entries[channel, source]) >= least else None
        old_a, old_b = found.get((channel, own, device), (Counts(0, 0), Counts(0, 0)))
        found[channel, own, device] = (old_a + a, old_b + b)
    return found


def fair_comparison(strata: Mapping[K, tuple[Counts, Counts]], level: float = 0.95) -> FairComparison:
    """Challenger against control within strata; each value is (control, challenger).

    Mantel-Haenszel risk difference (Greenland & Robins, Biometrics 41 (1985) 55-68) with the
    variance of Sato (Biometrics 45 (1989) 1323-1324). Heterogeneity by Cochran's Q with inverse
    variances, of (x + ½)/(n + 1) so that a stratum without conversions has one.

    Parameters
    ----------
    strata : mapping
        From any key to the counts of control and challenger.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    FairComparison
        Of rates; nan limits where no stratum has both.

    Examples
    --------
    >>> f = fair_comparison({"paid": (Counts(30, 900), Counts(8, 200)), "direct": (Counts(6, 100), Counts(60, 800))})
    >>> round(f.difference.estimate, 4), f.left_out
    (0.0096, [])
    """
    z = z_of(level)
    left_out: list[Hashable] = [k for k, (a, b) in strata.items() if bool(a.trials) != bool(b.trials)]
    pairs = sorted(
        ((a, b) for a, b in strata.values() if a.trials and b.trials),
        key=lambda p: (p[0].trials, p[0].conversions, p[1].trials, p[1].conversions),
    )
    every = [(a, b) for a, b in strata.values()]
    whole = (sum((a for a, _ in every), Counts(0, 0)), sum((b for _, b in every), Counts(0, 0)))
    raw = difference_interval(*whole, level) if whole[0].trials and whole[1].trials else NOTHING
    if not pairs:
        return FairComparison(math.nan, math.nan, NOTHING, raw, math.nan, 0, math.nan, left_out, False)
    mixed = sum(a.trials + b.trials for a, b in pairs)
    mix = [(a.trials + b.trials) / mixed for a, b in pairs]
    rates = [
        math.fsum(share * pair[side].rate for share, pair in zip(mix, pairs, strict=True)) for side in (0, 1)
    ]
    weights = [a.trials * b.trials / (a.trials + b.trials) for a, b in pairs]
    estimate = math.fsum(w * (b.rate - a.rate) for w, (a, b) in zip(weights, pairs, strict=True)) / math.fsum(
        weights
    )
    p_sum, q_sum = 0.0, 0.0
    for a, b in pairs:
        n0, n1, y, x = a.trials, b.trials, a.conversions, b.conversions
        n = n0 + n1
        p_sum += (n1 * n1 * y - n0 * n0 * x + n1 * n0 * (n0 - n1) / 2) / (n * n)
        q_sum += (x * (n0 - y) + y * (n1 - x)) / (2 * n)
    variance = max(0.0, estimate * p_sum + q_sum) / math.fsum(weights) ** 2
    reach = z * math.sqrt(variance)
    q, df = _cochran(pairs)
    return FairComparison(
        rates[0],
        rates[1],
        Interval(estimate - reach, estimate, estimate + reach),
        raw,
        q,
        df,
        float(scipy.stats.chi2.sf(q, df)) if df else math.nan,
        left_out,
        raw.estimate * estimate < 0,
    )


def _cochran(pairs: list[tuple[Counts, Counts]]) -> tuple[float, int]:
    weights, gaps = [], []
    for pair in pairs:
        variance = 0.0
        for side in pair:
            smooth = (side.conversions + 0.5) / (side.trials + 1)
            variance += smooth * (1 - smooth) / side.trials
        weights.append(1 / variance)
        gaps.append(pair[1].rate - pair[0].rate)
    centre = math.fsum(w * g for w, g in zip(weights, gaps, strict=True)) / math.fsum(weights)
    q = math.fsum(w * (g - centre) ** 2 for w, g in zip(weights, gaps, strict=True))
    return q, len(pairs) - 1
