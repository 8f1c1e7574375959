"""Everybody at once: definitions over sets of visitor numbers (roaring bitmaps)."""

from __future__ import annotations

from collections.abc import Sequence as Seq
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from pyroaring import BitMap

from clabo.core.audiences.definition import All, Any, Definition, Node, Part, Sequence

# Visitor numbers (uint32) and microseconds since 1970 (int64), of things that happened, in any order.
Moments = tuple[NDArray[np.uint32], NDArray[np.int64]]


class Source(Protocol):
    """Who did what, as of one moment."""

    # What was found of sequences that were asked for before.
    orders: dict[Sequence, list[BitMap]]

    def people(self, part: Part) -> BitMap:
        """Whoever fulfils `part`. The set is not to be changed."""

    def moments(self, part: Part) -> Moments:
        """When what `part` asks happened to whom, on the days that it asks for."""


def members(definition: Definition, source: Source) -> BitMap:
    """Who is in: the numbers of all who fulfil `include` and not `exclude`."""
    found = fulfil(definition.include, source)
    return found if definition.exclude is None else found - fulfil(definition.exclude, source)


def fulfil(node: Node, source: Source) -> BitMap:
    """Whoever fulfils one node."""
    if isinstance(node, Part):
        return source.people(node)
    if isinstance(node, Sequence):
        return in_order(node, source)[-1]
    sets = [fulfil(n, source) for n in node.nodes]
    if isinstance(node, Any):
        return BitMap.union(*sets) if len(sets) > 1 else sets[0]
    return BitMap.intersection(*sets) if len(sets) > 1 else sets[0]


def in_order(sequence: Sequence, source: Source) -> list[BitMap]:
    """Who got as far as each step.

    A happening reaches a step when one that reached the step before lies strictly earlier and no more than `within`
    earlier. The latest such is the only one to look at, so every step is a sorted search.
    """
    if sequence not in source.orders:
        source.orders[sequence] = _in_order(sequence, source)
    return source.orders[sequence]


def _in_order(sequence: Sequence, source: Source) -> list[BitMap]:
    reached: Moments | None = None
    found = []
    for step in sequence.steps:
        people, times = _together([source.moments(part) for part in step])
        if reached is not None:
            people, times = _after(reached, people, times, sequence.within)
        found.append(BitMap(np.unique(people)))
        reached = people, times
    return found


def _together(several: Seq[Moments]) -> Moments:
    """All of them, sorted by person and time."""
    people = np.concatenate([p for p, _ in several])
    times = np.concatenate([t for _, t in several])
    order = np.lexsort((times, people))
    return people[order], times[order]


def _after(
    reached: Moments, people: NDArray[np.uint32], times: NDArray[np.int64], within: int | None
) -> Moments:
    before, at = reached
    if not len(before) or not len(people):
        return people[:0], times[:0]
    # One sortable number for person and time: ranks of times leave room for both in 64 bits.
    ranks = np.unique(np.concatenate([at, times]))
    span = np.int64(len(ranks) + 1)
    keys_before = before.astype(np.int64) * span + np.searchsorted(ranks, at)
    keys = people.astype(np.int64) * span + np.searchsorted(ranks, times)
    last = np.searchsorted(keys_before, keys, side="left") - 1
    there = np.maximum(last, 0)
    follows = (last >= 0) & (before[there] == people)
    if within is not None:
        follows &= times - at[there] <= np.int64(within) * 1_000_000
    return people[follows], times[follows]


@dataclass(frozen=True, slots=True)
class Step:
    """A line of the staircase: the node at `path`, and how many are left over after it."""

    path: str
    left: int


def staircase(definition: Definition, source: Source) -> list[Step]:
    """How many remain after each line, in the order of reading.

    Lines are the nodes that all must be fulfilled, the steps of a sequence, and of what is excluded each alternative.
    """
    include, steps = definition.include, []
    if isinstance(include, All):
        left: BitMap | None = None
        for i, node in enumerate(include.nodes):
            one = fulfil(node, source)
            left = one if left is None else left & one
            steps.append(Step(f"include.all[{i}]", len(left)))
        assert left is not None
    elif isinstance(include, Sequence):
        sets = in_order(include, source)
        steps = [Step(f"include.sequence[{i}]", len(one)) for i, one in enumerate(sets)]
        left = sets[-1]
    else:
        left = fulfil(include, source)
        steps.append(Step("include", len(left)))
    exclude = definition.exclude
    if isinstance(exclude, Any):
        for i, node in enumerate(exclude.nodes):
            left = left - fulfil(node, source)
            steps.append(Step(f"exclude.any[{i}]", len(left)))
    elif exclude is not None:
        steps.append(Step("exclude", len(left - fulfil(exclude, source))))
    return steps
