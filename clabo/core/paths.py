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
_LONG_AGO = np.iinfo(np.int64).min


@dataclass(frozen=True, slots=True)
class Walk:
    """For each step (rows) and everybody (columns) when it was reached, NEVER where it was not.

    `before`: when the step before was, from which that one was reached; of the first step the same time.
    """

    reached: Whole
    before: Whole

    def counts(self) -> list[int]:
        """How many reached each step."""
        return [int(n) for n in (self.reached != NEVER).sum(axis=1)]

    def at(self, step: int) -> NDArray[np.bool_]:
        """Who reached a step (from 0 on)."""
        found: NDArray[np.bool_] = self.reached[step] != NEVER
        return found

    def left(self, step: int) -> NDArray[np.bool_]:
        """Who reached a step and not the next; of the last step nobody."""
        if step + 1 == len(self.reached):
            return np.zeros(self.reached.shape[1], dtype=bool)
        return self.at(step) & ~self.at(step + 1)

    def median_seconds(self, step: int) -> float | None:
        """Half of those who reached a step (from 1 on) did so within so long of the one before; None for nobody."""
        some = self.at(step)
        if not some.any():
            return None
        return float(np.median(self.reached[step, some] - self.before[step, some])) / 1e6


def walk(steps: Sequence[Happened], count: int, within: int | None = None) -> Walk:
    """How far each of `count` got along the steps, each at or after the one before it.

    Parameters
    ----------
    steps : sequence of (who, times)
        What happened that is each step.
    count : int
        How many there are: `who` are 0 to count - 1.
    within : int, optional
        The last step's time lies at most so many microseconds after the first's. None: whenever.

    Returns
    -------
    Walk
        Without `within`, the earliest time of each step after the earliest of the one before. With it, the earliest
        that some first step not longer ago leads to; where several first steps lead there, the latest is asked.
    """
    return _whenever(steps, count) if within is None else _in_time(steps, count, within)


def _whenever(steps: Sequence[Happened], count: int) -> Walk:
    reached = np.full((len(steps), count), NEVER, dtype=np.int64)
    before = reached.copy()
    last = np.full(count, _LONG_AGO, dtype=np.int64)
    for place, (who, times) in enumerate(steps):
        after = times >= last[who]
        who, times = who[after], times[after]
        if (times[1:] >= times[:-1]).all():
            # In order of time the first of each stays: assigned last.
            reached[place, who[::-1]] = times[::-1]
        else:
            np.minimum.at(reached[place], who, times)
        before[place] = np.where(reached[place] == NEVER, NEVER, last if place else reached[place])
        last = reached[place]
    return Walk(reached, before)


def _in_time(steps: Sequence[Happened], count: int, within: int) -> Walk:
    reached = np.full((len(steps), count), NEVER, dtype=np.int64)
    before = reached.copy()
    last: tuple[Whole, Whole, Whole] | None = None
    for place, (who, times) in enumerate(steps):
        order = np.lexsort((times, who))
        who, times = who[order], times[order]
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
    return Walk(reached, before)


def _place_of(who: Whole, times: Whole, asked: Whole, at: Whole) -> Whole:
    """For each of `asked` the last place in (who, times), which are in order, that is not after it; -1 before all."""
    ranks = np.unique(np.concatenate([times, at]))
    base = np.int64(len(ranks) + 1)
    keys = who * base + np.searchsorted(ranks, times)
    return np.searchsorted(keys, asked * base + np.searchsorted(ranks, at), side="right") - 1


def following(at: Whole, who: Whole, times: Whole, what: Whole) -> Whole:
    """What happened next to everybody after a time of their own, -1 for nothing.

    Parameters
    ----------
    at : array, one for everybody
        After when; NEVER where it is not asked.
    who, times, what : arrays of one length
        What happened to whom when.
    """
    later = times > at[who]
    if not later.all():
        who, times, what = who[later], times[later], what[later]
    if not (times[1:] >= times[:-1]).all():
        order = np.argsort(times, kind="stable")
        who, what = who[order], what[order]
    found = np.full(len(at), -1, dtype=np.int64)
    # The earliest of each stays: assigned last.
    found[who[::-1]] = what[::-1]
    return found
