"""What a rule catches that is unlike the rest of what it catches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from clabo.core.evidence.proportions import rate_intervals
from clabo.core.message import Message, message

# Under so many events nothing is called unlike the rest.
LEAST = 10
# A page at which more of the visits begin than this, for certain, is hardly a success page.
MOSTLY = 0.5
OFTEN = 3.0
# Where visits begin more often than this in what else is caught, the rule means pages that people land on.
SELDOM = 0.1


@dataclass(frozen=True, slots=True)
class Caught:
    """Events that a rule catches in one place: in all, in how many visits, and how many began their visit."""

    events: int
    visits: int
    begun: int


def suspicions(groups: Sequence[Caught]) -> list[list[Message]]:
    """For each group the reasons why it may be caught by accident; empty for most.

    A group is suspect when visits hardly ever begin in the others, and its own share of events that began their
    visit lies clearly above theirs, Wilson interval against Wilson interval; when it is alone and more than half
    began there; and when one visit brings three or more on average.
    """
    if not groups:
        return []
    all_events, all_begun = sum(g.events for g in groups), sum(g.begun for g in groups)
    low, _, _ = rate_intervals([g.begun for g in groups], [max(g.events, 1) for g in groups])
    rest = [max(all_events - g.events, 1) for g in groups]
    _, _, high = rate_intervals(
        [min(all_begun - g.begun, n) for g, n in zip(groups, rest, strict=True)], rest
    )
    found: list[list[Message]] = []
    for place, group in enumerate(groups):
        reasons: list[Message] = []
        if group.events >= LEAST:
            others = all_events - group.events
            alone = others < LEAST
            seldom = alone or (all_begun - group.begun) / others <= SELDOM
            if seldom and low[place] > (MOSTLY if alone else max(high[place], 0.05)):
                reasons.append(message("began_visit", begun=group.begun, events=group.events))
            if group.events >= OFTEN * group.visits:
                reasons.append(message("often_in_a_visit", times=group.events / group.visits))
        found.append(reasons)
    return found
