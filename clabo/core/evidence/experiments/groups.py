"""For whom a change works: differences in groups of visitors, drawn towards the whole, and flagged only where that holds."""

from __future__ import annotations

import math
from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from typing import TypeVar

from clabo.core.evidence.experiments.sequential import START_UP, errors_reached, p_at_every_look
from clabo.core.evidence.multiple import holm
from clabo.core.evidence.types import Counts, Interval

K = TypeVar("K", bound=Hashable)


@dataclass(frozen=True, slots=True)
class GroupEffect:
    """A group's difference, challenger - control: as seen, and drawn towards that of all groups by how little it tells.

    `p_value`: whether it differs from the other groups' together, after Holm over all that were asked. `differs`: it does.
    `reversed`: it differs and points the other way than the others do.
    """

    control: Counts
    challenger: Counts
    raw: Interval
    shrunk: Interval
    p_value: float
    differs: bool
    reversed: bool


def group_effects(
    groups: Mapping[str, Mapping[K, tuple[Counts, Counts]]], planned: int, level: float = 0.95
) -> dict[str, dict[K, GroupEffect]]:
    """Differences by group, for each way of telling visitors apart.

    Within a way, groups' differences are normal around a common one with the variance between groups of DerSimonian &
    Laird (Controlled Clinical Trials 7 (1986) 177-188); each is drawn towards it (empirical Bayes: Morris, JASA 78 (1983)
    47-55), with an interval that takes the common one's own error in. Whether a group differs is asked against the other
    groups of its way together, by the difference of two independent differences, Holm over all groups of all ways.

    It may be looked at after every visitor: intervals and p-values are time-uniform (`errors_reached`, `p_at_every_look`),
    by the visitors of the way's groups together; Holm's method holds for p-values that hold whenever one stops.

    Parameters
    ----------
    groups : mapping
        From a way of telling visitors apart to its groups, each with the counts of control and challenger.
    planned : int
        Visitors of both arms at which the readings are tightest.
    level : float
        Confidence level, between 0 and 1.

    Returns
    -------
    dict
        As `groups`; groups in which fewer than START_UP have converted, or have not, in an arm are left out: what holds at
        every look does not hold for the first few.

    Examples
    --------
    >>> two = {"phone": (Counts(40, 1000), Counts(90, 1000)), "desktop": (Counts(60, 1000), Counts(45, 1000))}
    >>> found = group_effects({"device": two}, 4000)["device"]
    >>> found["phone"].differs, found["desktop"].reversed, found["phone"].shrunk.estimate < found["phone"].raw.estimate
    (True, True, True)
    """
    alpha = 1 - level
    asked: list[tuple[str, K, float, float]] = []
    found: dict[str, dict[K, GroupEffect]] = {}
    for way, of_way in groups.items():
        known = {key: pair for key, pair in of_way.items() if all(map(_has_started, pair))}
        visitors = sum(side.trials for pair in known.values() for side in pair)
        z = errors_reached(visitors, planned, level) if visitors else math.nan
        found[way] = {}
        effects = {key: _effect(*pair) for key, pair in known.items()}
        centre, centre_variance, between = _common(list(effects.values()))
        for key, (gap, variance) in effects.items():
            pull = variance / (variance + between) if len(effects) > 1 else 0.0
            drawn = gap + pull * (centre - gap)
            spread = math.sqrt((1 - pull) * variance + pull**2 * centre_variance)
            others = [e for other, e in effects.items() if other != key]
            rest, rest_variance, _ = _common(others, fixed=True)
            p = math.nan
            if others:
                errors = (gap - rest) / math.sqrt(variance + rest_variance)
                p = p_at_every_look(errors, visitors, planned, level)
                asked.append((way, key, p, rest))
            reach = z * math.sqrt(variance)
            found[way][key] = GroupEffect(
                *known[key],
                Interval(gap - reach, gap, gap + reach),
                Interval(drawn - z * spread, drawn, drawn + z * spread),
                p,
                False,
                False,
            )
    for (way, key, _, rest), p in zip(asked, holm([a[2] for a in asked]), strict=True):
        g = found[way][key]
        differs = p < alpha
        turned = differs and g.raw.estimate * rest < 0
        found[way][key] = GroupEffect(g.control, g.challenger, g.raw, g.shrunk, p, differs, turned)
    return found


def _has_started(side: Counts) -> bool:
    return min(side.conversions, side.trials - side.conversions) >= START_UP


def _effect(control: Counts, challenger: Counts) -> tuple[float, float]:
    """The difference of rates and its variance, of (x + ½)/(n + 1) so that a group without conversions has one."""
    variance = 0.0
    for side in (control, challenger):
        smooth = (side.conversions + 0.5) / (side.trials + 1)
        variance += smooth * (1 - smooth) / side.trials
    return challenger.rate - control.rate, variance


def _common(effects: list[tuple[float, float]], fixed: bool = False) -> tuple[float, float, float]:
    """The common difference, its variance, and the variance between groups (none with `fixed`)."""
    if not effects:
        return 0.0, 0.0, 0.0
    weights = [1 / v for _, v in effects]
    mean = math.fsum(w * g for w, (g, _) in zip(weights, effects, strict=True)) / math.fsum(weights)
    between = 0.0
    if not fixed and len(effects) > 1:
        q = math.fsum(w * (g - mean) ** 2 for w, (g, _) in zip(weights, effects, strict=True))
        scale = math.fsum(weights) - math.fsum(w * w for w in weights) / math.fsum(weights)
        between = max(0.0, (q - (len(effects) - 1)) / scale)
        weights = [1 / (v + between) for _, v in effects]
        mean = math.fsum(w * g for w, (g, _) in zip(weights, effects, strict=True)) / math.fsum(weights)
    return mean, 1 / math.fsum(weights), between
