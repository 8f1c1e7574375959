"""What is worth saying of an audience while it is written."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from clabo.core.audiences.definition import Definition, Node, Part, nodes
from clabo.core.audiences.lengths import first_part
from clabo.core.audiences.predicates import Converted
from clabo.core.message import Message, message

# Lengths that people think in.
USUAL_LENGTHS = (1, 2, 3, 7, 14, 21, 30, 45, 60, 90, 120, 180, 365, 730)
# Two audiences of which each holds so much of the other are nearly one.
NEARLY_ONE = 0.85
# Halving a length that loses no more than this part says that it is longer than it need be.
HARDLY_ANYBODY = 0.03


@dataclass(frozen=True, slots=True)
class Point:
    """How many people there are with a lookback of so many days."""

    days: int
    people: int


@dataclass(frozen=True, slots=True)
class Shared:
    """Another audience, and how many are in both."""

    audience: int
    name: str
    people: int
    both: int


def is_nearly_one(people: int, other: Shared) -> bool:
    """Whether two audiences hold nearly the same people."""
    largest = max(people, other.people)
    return largest > 0 and other.both >= NEARLY_ONE * largest


def what_length_gives(curve: Sequence[Point], chosen: int) -> Message | None:
    """What a longer lookback would bring; None where there is no curve."""
    if not curve:
        return None
    by_days = {p.days: p.people for p in curve}
    now, most = by_days[chosen], curve[-1]
    longer = [n for n in USUAL_LENGTHS if n > chosen and n in by_days]
    if most.people == now or not longer:
        return message("length_gives_all", days=chosen)
    following = longer[0]
    if following == most.days or most.people == by_days[following]:
        return message("length_gives", days=following, more=by_days[following] - now)
    return message(
        "length_gives_and_then",
        days=following,
        people=by_days[following],
        last=most.days,
        more=most.people - by_days[following],
    )


def advice(
    definition: Definition,
    people: int,
    floor: int,
    curve: Sequence[Point],
    others: Sequence[Shared],
    conversions: bool,
    stopped: Sequence[str],
) -> list[Message]:
    """What could be better, the most urgent first.

    `curve` varies the first part; `conversions`: whether the site counts any; `stopped`: pages asked for whose tag is silent.
    """
    found = [message("advice_page_stopped", page=page) for page in stopped]
    part = first_part(definition)
    if part is not None and curve:
        found += _of_length(part, people, floor, curve)
    included = [p for p in _parts(definition, "include") if p.what.timed]
    excluded = [p for p in _parts(definition, "exclude") if p.what.timed]
    longest = max((p.end for p in included), default=0)
    short = [p for p in excluded if p.end < longest]
    if short:
        found.append(
            message("advice_exclusion_shorter", excluded=min(p.end for p in short), included=longest)
        )
    if conversions and not any(isinstance(p.what, Converted) for p in _parts(definition, "")):
        found.append(message("advice_no_exclusion"))
    found += [message("advice_nearly_one", name=o.name) for o in others if is_nearly_one(people, o)]
    return found


def _of_length(part: Part, people: int, floor: int, curve: Sequence[Point]) -> list[Message]:
    if people < floor:
        enough = next((p for p in curve if p.days > part.end and p.people >= floor), None)
        return [message("advice_too_short", days=enough.days, people=enough.people)] if enough else []
    half = next((p for p in reversed(curve) if p.days <= part.end / 2), None)
    # Of everything that was ever recorded, nothing can be said to be too long.
    if half and part.end < curve[-1].days and half.people >= (1 - HARDLY_ANYBODY) * people:
        return [message("advice_too_long", days=half.days, fewer=people - half.people)]
    return []


def _parts(definition: Definition, side: str) -> list[Part]:
    found: list[tuple[str, Node]] = [(p, n) for p, n in nodes(definition) if p.startswith(side)]
    return [node for _, node in found if isinstance(node, Part)]
