"""From events that meet a rule to conversions (definitions: "Conversion")."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Literal, Protocol, TypeVar, get_args

Counting = Literal["every", "visit", "visitor"]
COUNTINGS: tuple[Counting, ...] = get_args(Counting)


class Countable(Protocol):
    """What counting needs of a candidate event. `order` is its order number, or empty.

    `visit` is None where none is known: such an event is no repetition within a visit.
    """

    @property
    def visitor(self) -> int: ...
    @property
    def visit(self) -> int | None: ...
    @property
    def order(self) -> str: ...


C = TypeVar("C", bound=Countable)


def count(candidates: Sequence[C], mode: Counting, received: Callable[[C], Any] | None = None) -> list[C]:
    """Which of the events that meet a rule are conversions; `candidates` of the whole site in time order.

    An order number counts once: its first event *received* is the order, whoever sent it and whatever time it
    states, and no later one takes its place, even where the mode leaves the order out. `received` gives what events
    are put in order of receipt by; without it they were received in the order given. Of what remains, "every": all; "visit": the first of each visit; "visitor": the
    first of each visitor.

    Parameters
    ----------
    candidates : sequence
        Events that meet a rule, of the whole site, in time order; each with `visitor`, `visit` and `order`.
    mode : str
        One of COUNTINGS.
    received : callable, optional
        From an event to what events are put in order of receipt by.

    Returns
    -------
    list
        Those of `candidates` that are conversions.

    Examples
    --------
    >>> from collections import namedtuple
    >>> Sent = namedtuple("Sent", "visitor visit order")
    >>> sent = [Sent(1, 1, ""), Sent(1, 1, ""), Sent(2, 2, "A-7"), Sent(3, 3, "A-7")]
    >>> len(count(sent, "visit"))
    2
    """
    return by_mode(first_received(candidates, received), mode)


def first_received(candidates: Sequence[C], received: Callable[[C], Any] | None = None) -> list[C]:
    """`candidates` without those whose order number another one brought earlier.

    Parameters
    ----------
    candidates : sequence
        In time order.
    received : callable, optional
        From an event to what events are put in order of receipt by.

    Returns
    -------
    list
        In time order.
    """
    first: dict[str, C] = {}
    for event in sorted(candidates, key=received) if received else candidates:
        if event.order:
            first.setdefault(event.order, event)
    return [e for e in candidates if not e.order or first[e.order] is e]


def by_mode(candidates: Iterable[C], mode: Counting) -> list[C]:
    """The first of each visit or visitor, in time order; all with "every".

    Parameters
    ----------
    candidates : iterable
        In time order.
    mode : str
        One of COUNTINGS.

    Returns
    -------
    list
        In time order.
    """
    if mode == "every":
        return list(candidates)
    seen: set[int] = set()
    kept: list[C] = []
    for event in candidates:
        key = event.visit if mode == "visit" else event.visitor
        if key is not None:
            if key in seen:
                continue
            seen.add(key)
        kept.append(event)
    return kept
