"""What a split test says, as parts; the interface puts them into words."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from clabo.core.evidence.multiple import SplitHealth
from clabo.core.evidence.types import Interval

VerdictKind = Literal[
    "adopt", "keep_control", "no_difference", "too_early", "broken_split", "no_data", "guard_fails"
]


@dataclass(frozen=True, slots=True)
class TestState:
    """A test as it stands.

    `sequences`: for each challenger the always-valid difference of rates against the control, at
    α/m. `worth`: the smallest difference worth having, absolute. `visitors`: of each arm, control
    first. `needed`: visitors at which a difference that is worth having should be seen.
    """

    sequences: Sequence[Interval]
    worth: float
    visitors: Sequence[int]
    health: SplitHealth
    needed: int
    visitors_per_day: float
    # Challengers, by place, of which a guard fails.
    harmful: Collection[int] = ()
    # Days after the exposure before somebody's conversions are compared.
    window_days: int = 0


@dataclass(frozen=True, slots=True)
class Verdict:
    """`kind` decides; `params` holds what a sentence about it needs."""

    kind: VerdictKind
    params: dict[str, Any]


def verdict(state: TestState) -> Verdict:
    """The verdict; a broken split comes before everything, for then no other number can be read.

    A challenger that is better and of which a guard fails is not to be adopted: "guard_fails", unless another one is.
    "no_difference" needs every interval to lie inside ± `worth`. "keep_control" is given when no
    challenger can be better by as much as is worth having, and at least one can be that much
    worse or all are worse.

    Parameters
    ----------
    state : TestState
        The test as it stands.

    Returns
    -------
    Verdict
        What can be said of it, as a code and parameters.

    Raises
    ------
    ValueError
        Where visitors and challengers do not fit together, or `worth` is not positive.

    Examples
    --------
    >>> health = split_health([4801, 4837], [50, 50])
    >>> verdict(TestState([Interval(0.0058, 0.0199, 0.034)], 0.012, [4801, 4837], health, 9566, 253.0)).kind
    'adopt'
    """
    if len(state.visitors) != len(state.sequences) + 1:
        raise ValueError("visitors: give one count for the control and one for each challenger")
    if state.worth <= 0:
        raise ValueError("worth: must be positive")
    if state.health.broken:
        return Verdict("broken_split", {"p_value": state.health.p_value, "visitors": list(state.visitors)})
    if not sum(state.visitors):
        return Verdict("no_data", {})
    known = all(s.known for s in state.sequences)
    winners = [(s.estimate, i) for i, s in enumerate(state.sequences) if s.known and s.low > 0]
    if winners:
        sound = [w for w in winners if w[1] not in state.harmful]
        if not sound:
            worst_of = max(winners)[1]
            return Verdict("guard_fails", {"challenger": worst_of, "difference": state.sequences[worst_of]})
        best = max(sound)[1]
        return Verdict("adopt", {"challenger": best, "difference": state.sequences[best]})
    if known:
        if all(-state.worth < s.low and s.high < state.worth for s in state.sequences):
            return Verdict("no_difference", {"worth": state.worth})
        if all(s.high < state.worth for s in state.sequences):
            worst = min(range(len(state.sequences)), key=lambda i: state.sequences[i].estimate)
            return Verdict(
                "keep_control",
                {
                    "all_worse": all(s.high < 0 for s in state.sequences),
                    "challenger": worst,
                    "difference": state.sequences[worst],
                    "worth": state.worth,
                },
            )
    missing = state.needed - sum(state.visitors)
    days = None
    if state.visitors_per_day > 0 and missing > 0:
        days = math.ceil(missing / state.visitors_per_day) + state.window_days
    return Verdict("too_early", {"days_left": days, "overdue": missing <= 0, "counting": known})
