"""Creatives held against each other although they share a budget that moves (definitions: "Plans")."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from dataclasses import dataclass
from typing import Literal, TypeVar

from clabo.core.evidence import Counts, Interval, fair_comparison
from clabo.core.evidence.experiments.sequential import errors_reached

S = TypeVar("S", bound=Hashable)

# Each must have brought so many before anything is said.
LEAST_CONVERSIONS = 5
# The sequence is tightest at so many times shown of both.
PLANNED = 50_000
Outcome = Literal["too_early", "alike", "better", "worse"]


@dataclass(frozen=True, slots=True)
class Tried:
    """One creative against the first: of each time shown, the difference in conversions, day by day and line by line.

    `raw`: all days thrown together, which a budget that moves can turn around (`turned`).
    """

    difference: Interval | None
    raw: Interval | None
    turned: bool
    outcome: Outcome


def compared(strata: Mapping[S, tuple[Counts, Counts]], among: int = 1) -> Tried:
    """The second of each pair against the first.

    Within a day and line both have turns drawn by lot with shares that stay, so that there they are comparable, however the shares move
    from day to day: the Mantel-Haenszel difference over these strata. It is looked at every day, and the shares follow
    what was seen: its limits are those of a confidence sequence (`evidence.errors_reached` standard errors), which hold at every look.

    Parameters
    ----------
    strata : mapping
        From a day and line to the conversions and times shown of the two.
    among : int
        How many are held against the first: each at 0.05 / `among` (Bonferroni), so that one in twenty plans whose
        creatives are alike is told of one that is not.

    Returns
    -------
    Tried
        Differences of conversions for each time shown.

    Examples
    --------
    >>> days = {d: (Counts(2, 4000), Counts(9, 4000)) for d in range(12)}
    >>> compared(days).outcome
    'better'
    >>> compared({1: (Counts(1, 400), Counts(2, 300))}).outcome
    'too_early'
    """
    both = {k: pair for k, pair in strata.items() if pair[0].trials and pair[1].trials}
    one = sum((a for a, _ in both.values()), Counts(0, 0))
    other = sum((b for _, b in both.values()), Counts(0, 0))
    if min(one.conversions, other.conversions) < LEAST_CONVERSIONS:
        return Tried(None, None, False, "too_early")
    # One standard error on either side.
    plain = fair_comparison(both, level=0.6826894921370859)
    error = (plain.difference.high - plain.difference.low) / 2
    reach = errors_reached(one.trials + other.trials, PLANNED, 1 - 0.05 / among) * error
    middle = plain.difference.estimate
    found = Interval(middle - reach, middle, middle + reach)
    outcome: Outcome = "better" if found.low > 0 else "worse" if found.high < 0 else "alike"
    return Tried(found, plain.raw, plain.raw.estimate * middle < 0, outcome)
