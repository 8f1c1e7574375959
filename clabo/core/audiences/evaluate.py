"""Everybody at once: definitions over sets of visitor numbers (roaring bitmaps)."""

from __future__ import annotations

from collections.abc import Iterator
from collections.abc import Sequence as Seq
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from pyroaring import BitMap

from clabo.core.audiences.definition import All, Any, Definition, Node, Part, Sequence

# Visitor numbers (uint32) and microseconds since 1970 (int64) of things that happened, in the order of time.
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
    earlier.
    """
    if sequence not in source.orders:
        source.orders[sequence] = _in_order(sequence, source)
    return source.orders[sequence]


def _in_order(sequence: Sequence, source: Source) -> list[BitMap]:
    steps = [_together([source.moments(part) for part in step]) for step in sequence.steps]
    found = _within(steps, sequence.within) if sequence.within is not None else _whenever(steps)
    return [people_of(people) for people in found]


def people_of(numbers: NDArray[np.uint32], least: int = 1) -> BitMap:
    """Whoever is named at least so many times."""
    if not len(numbers):
        return BitMap()
    if least == 1:
        seen = np.zeros(int(numbers.max()) + 1, dtype=bool)
        seen[numbers] = True
    else:
        seen = np.bincount(numbers) >= least
    return BitMap(np.flatnonzero(seen).astype(np.uint32))


def _together(several: Seq[Moments]) -> Moments:
    """All of them, in the order of time."""
    if len(several) == 1:
        return several[0]
    people = np.concatenate([p for p, _ in several])
    times = np.concatenate([t for _, t in several])
    order = np.argsort(times, kind="stable")
    return people[order], times[order]


def _whenever(steps: list[Moments]) -> Iterator[NDArray[np.uint32]]:
    """Of each step the first happening after the one of the step before decides: no later one could lead further."""
    last = max((int(people.max()) for people, _ in steps if len(people)), default=0)
    reached = np.full(last + 1, np.iinfo(np.int64).min)
    for people, times in steps:
        after = times > reached[people]
        people, times = people[after], times[after]
        yield people
        reached = np.full(last + 1, np.iinfo(np.int64).max)
        # Of several assignments to one place the last one stays, which is the earliest.
        reached[people[::-1]] = times[::-1]


def _within(steps: list[Moments], within: int) -> Iterator[NDArray[np.uint32]]:
    """Of each step those happenings that one which reached the step before precedes by no more than `within`.

    The latest such is the only one to look at, so every step is a sorted search.
    """
    reached: Moments | None = None
    for step in steps:
        order = np.argsort(step[0], kind="stable")
        people, times = step[0][order], step[1][order]
        if reached is not None:
            people, times = _after(reached, people, times, within)
        yield people
        reached = people, times


def _after(reached: Moments, people: NDArray[np.uint32], times: NDArray[np.int64], within: int) -> Moments:
    before, at = reached
    if not len(before) or not len(people):
        return people[:0], times[:0]
    keys_before, keys = _keys(before, at, people, times)
    last = np.searchsorted(keys_before, keys, side="left") - 1
    there = np.maximum(last, 0)
    follows = (last >= 0) & (before[there] == people)
    follows &= times - at[there] <= np.int64(within) * 1_000_000
    return people[follows], times[follows]


def _keys(
    before: NDArray[np.uint32], at: NDArray[np.int64], people: NDArray[np.uint32], times: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """For either, one sortable number for person and time."""
    whole = not (at % 1000).any() and not (times % 1000).any()
    unit, first = (1000 if whole else 1), min(at.min(), times.min())
    span = int(max(at.max(), times.max()) - first) // unit + 1
    if (int(max(before.max(), people.max())) + 1) * span < 2**63:
        return before * np.int64(span) + (at - first) // unit, people * np.int64(span) + (
            times - first
        ) // unit
    # Too far apart for 64 bits, but for their ranks.
    ranks = np.unique(np.concatenate([at, times]))
    count = np.int64(len(ranks))
    return before * count + np.searchsorted(ranks, at), people * count + np.searchsorted(ranks, times)


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
