"""From events that meet a rule to conversions (definitions: "Conversion")."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal, Protocol, TypeVar, get_args

Counting = Literal["every", "visit", "visitor"]
COUNTINGS: tuple[Counting, ...] = get_args(Counting)


class Countable(Protocol):
    """What counting needs of a candidate event. `order` is its order number, or empty."""

    @property
    def visitor(self) -> int: ...
    @property
    def visit(self) -> int: ...
    @property
    def order(self) -> str: ...


C = TypeVar("C", bound=Countable)


def count(candidates: Iterable[C], mode: Counting) -> list[C]:
    """Which of the events that meet a rule are conversions; `candidates` of the whole site in time order.

    An order number counts with its first event only, whoever sent it. Of what remains, "every": all;
    "visit": the first of each visit; "visitor": the first of each visitor.
    """
    orders: set[str] = set()
    seen: set[int] = set()
    kept: list[C] = []
    for event in candidates:
        if event.order:
            if event.order in orders:
                continue
            orders.add(event.order)
        if mode != "every":
            key = event.visit if mode == "visit" else event.visitor
            if key in seen:
                continue
            seen.add(key)
        kept.append(event)
    return kept
