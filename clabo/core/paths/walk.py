"""Paths: how far along named steps somebody got, and where they went instead (definitions: "Path").

Columns in, columns out; nothing here knows where they come from. `who` are whole numbers from 0 on (a visit, or a
person), times are microseconds since 1970.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Whole = NDArray[np.int64]
# When the steps of somebody happened: who and when, in any order.
Happened = tuple[Whole, Whole]
NEVER = np.iinfo(np.int64).max
_SPARSE = 20


@dataclass(frozen=True, slots=True)
class Walk:
    """When those of `who`, all who came to the first step, reached each step.

    `who` is in order; `reached` has a row for each step and a column for each of them; how many steps each reached is
    `depth`, and `reached` means nothing beyond. `before`: when the step before was, from which that one was reached; of
    the first step the same time.
    """

    who: Whole
    reached: Whole
    before: Whole
    depth: NDArray[np.int8]

    def counts(self) -> list[int]:
        """How many reached each step."""
        found = np.bincount(self.depth, minlength=len(self.reached) + 1)
        return [int(n) for n in found[::-1].cumsum()[::-1][1:]]

    def at(self, step: int) -> NDArray[np.bool_]:
        """Which of `who` reached a step (from 0 on)."""
        found: NDArray[np.bool_] = self.depth > step
        return found

    def left(self, step: int) -> NDArray[np.bool_]:
        """Which of `who` reached a step and not the next; of the last step nobody."""
        if step + 1 == len(self.reached):
            return np.zeros(len(self.who), dtype=bool)
        found: NDArray[np.bool_] = self.depth == step + 1
        return found

    def median_seconds(self, step: int) -> float | None:
        """Half of those who reached a step (from 1 on) did so within so long of the one before; None for nobody."""
        some = np.flatnonzero(self.at(step))
        if not len(some):
            return None
        return float(np.median(self.reached[step, some] - self.before[step, some])) / 1e6


def walk(steps: Sequence[Happened], within: int | None = None) -> Walk:
    """How far everybody got along the steps, each at or after the one before it.

    Parameters
    ----------
    steps : sequence of (who, times)
        What happened that is each step; at least one. Quicker where they are in order of who, then of time.
    within : int, optional
        The last step's time lies at most so many microseconds after the first's. None: whenever.

    Returns
    -------
    Walk
        Without `within`, the earliest time of each step after the earliest of the one before. With it, the earliest
        that some first step not longer ago leads to; where several first steps lead there, the latest is asked.
    """
    who, times = in_order(*steps[0])
    first = _first_of_each(who)
    everybody = who[first].astype(np.int64)
    # From here on places in `everybody`.
    of_those = [(np.cumsum(first) - 1, times), *(in_order(*_among(everybody, *step)) for step in steps[1:])]
    shape = len(steps), len(everybody)
    if within is None:
        reached, before = _whenever(of_those, shape)
    else:
        reached, before = _in_time(of_those, shape, within)
    depth = np.zeros(len(everybody), dtype=np.int8)
    for row in reached:
        depth += row != NEVER
    return Walk(everybody, reached, before, depth)


def in_order(who: Whole, times: Whole) -> Happened:
    """The same in order of who, then of time."""
    if not _is_in_order(who, times):
        # Mostly several stretches that are in order, one after the other.
        order = np.argsort(who, kind="stable")
        if not _is_in_order(who[order], times[order]):
            order = np.lexsort((times, who))
        who, times = who[order], times[order]
    return who, times


def each(who: Whole) -> Whole:
    """Everybody who is in it once, in order."""
    # Much is in order already, and sorting what nearly is takes less than looking every one up.
    ordered = np.sort(who, kind="stable") if (who[1:] < who[:-1]).any() else who
    return ordered[_first_of_each(ordered)]


def _first_of_each(who: Whole) -> NDArray[np.bool_]:
    first = np.ones(len(who), dtype=bool)
    first[1:] = who[1:] != who[:-1]
    return first


def _is_in_order(who: Whole, times: Whole) -> bool:
    same = who[1:] == who[:-1]
    return bool(((who[1:] > who[:-1]) | (same & (times[1:] >= times[:-1]))).all())


def _among(everybody: Whole, who: Whole, times: Whole) -> Happened:
    """What happened to those of `everybody`, by their places."""
    if not len(everybody):
        return who[:0].astype(np.int64), times[:0]
    # By a table where it is not much larger than what is asked, which is quicker than by search.
    if everybody[-1] < _SPARSE * (len(everybody) + len(who)) + 1000:
        table = np.full(everybody[-1] + 2, -1, dtype=np.int32)
        table[everybody] = np.arange(len(everybody))
        place = table[np.minimum(who, everybody[-1] + 1)]
        there = place >= 0
    else:
        place = np.minimum(np.searchsorted(everybody, who), len(everybody) - 1)
        there = everybody[place] == who
    return place[there].astype(np.int64), times[there]


def _whenever(steps: Sequence[Happened], shape: tuple[int, int]) -> tuple[Whole, Whole]:
    # The step before is the row above.
    rows = np.full((shape[0] + 1, shape[1]), NEVER, dtype=np.int64)
    for place, (who, times) in enumerate(steps):
        if place:
            after = times >= rows[place][who]
            who, times = who[after], times[after]
        # In order of time the first of each stays: assigned last.
        rows[place + 1][who[::-1]] = times[::-1]
    rows[0] = rows[1]
    return rows[1:], rows[:-1]


def _in_time(steps: Sequence[Happened], shape: tuple[int, int], within: int) -> tuple[Whole, Whole]:
    reached, before = (np.full(shape, NEVER, dtype=np.int64) for _ in range(2))
    last: tuple[Whole, Whole, Whole] | None = None
    for place, (who, times) in enumerate(steps):
        if last is None:
            begun, previous = times, times
        else:
            # The latest of the step before, at or before this one, has the latest beginning too.
            one = _place_of(last[0], last[1], who, times)
            there = np.maximum(one, 0)
            follows = (one >= 0) & (last[0][there] == who) if len(last[0]) else np.zeros(len(who), dtype=bool)
            who, times, there = who[follows], times[follows], there[follows]
            begun, previous = last[2][there], last[1][there]
            soon = times - begun <= within
            who, times, begun, previous = who[soon], times[soon], begun[soon], previous[soon]
        # In order of time, the first of each stays: assigned last.
        reached[place, who[::-1]] = times[::-1]
        before[place, who[::-1]] = previous[::-1]
        last = who, times, begun
    return reached, before


def _place_of(who: Whole, times: Whole, asked: Whole, at: Whole) -> Whole:
    """For each of `asked` the last place in (who, times), which are in order, that is not after it; -1 before all."""
    ranks = np.unique(np.concatenate([times, at]))
    base = np.int64(len(ranks) + 1)
    keys = who * base + np.searchsorted(ranks, times)
    return np.searchsorted(keys, asked * base + np.searchsorted(ranks, at), side="right") - 1
