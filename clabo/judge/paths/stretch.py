"""What happened in visits, laid out so that some of it is found without going through the rest."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from clabo.core.paths.walk import Whole


class Stretch:
    """Events in order of visit, then of time, and which atom each is of.

    Visit and time are one number, so that both are found by one search: the visit, and below it the time since its
    first event here.
    """

    def __init__(self, who: Whole, times: Whole, atoms: NDArray[np.uint32]) -> None:
        """Events in order of time, in any order of visits (whole numbers from 0 on); times are microseconds."""
        order = _order(who)
        visits, at = who[order], times[order]
        self.atoms = atoms[order]
        # From where each visit's are, and after the last.
        self._start = np.concatenate([[0], np.cumsum(np.bincount(visits))]).astype(np.int32)
        self._began = at[np.minimum(self._start[:-1], len(at) - 1)] if len(at) else at
        since = at - self._began[visits]
        self._bits = int(since.max(initial=0)).bit_length()
        if self._bits + len(self._start).bit_length() > 63:
            raise ValueError("who: too many visits for as long as the longest")
        self._keys = (visits << self._bits) | since
        # Places of each atom's events, in order.
        self._by_atom = _order(self.atoms).astype(np.int32)
        self._until = np.cumsum(np.bincount(self.atoms))

    def __len__(self) -> int:
        return len(self.atoms)

    @property
    def bytes(self) -> int:
        """What it takes."""
        return sum(c.nbytes for c in vars(self).values() if isinstance(c, np.ndarray))

    def who(self, places: Whole) -> Whole:
        """The visits of the events at these places."""
        found: Whole = self._keys[places] >> self._bits
        return found

    def times(self, places: Whole) -> Whole:
        """When the events at these places were."""
        keys = self._keys[places]
        found: Whole = self._began[keys >> self._bits] + (keys & ((1 << self._bits) - 1))
        return found

    def counts(self) -> Whole:
        """By atom, how many events."""
        return np.diff(self._until, prepend=0)

    def of_atoms(self, ids: Sequence[int]) -> Whole:
        """Where the events of these atoms are, in order."""
        several = [self._of_atom(i) for i in set(ids) if i < len(self._until)]
        if not several:
            return np.zeros(0, dtype=np.int64)
        return several[0] if len(several) == 1 else np.sort(np.concatenate(several))

    def _of_atom(self, atom: int) -> Whole:
        found = self._by_atom[self._until[atom - 1] if atom else 0 : self._until[atom]]
        return found.astype(np.int64)

    def of_visits(self, visits: Whole) -> tuple[Whole, Whole]:
        """Of which of these visits (its place among them) and where their events are, in order of these visits."""
        start, end = self._spans(visits)
        many = end - start
        of = np.repeat(np.arange(len(visits)), many)
        return of, np.arange(len(of)) + (start - np.cumsum(many) + many)[of]

    def next_after(self, visits: Whole, times: Whole, wanted: NDArray[np.bool_]) -> Whole:
        """Where each of these visits' first event later than a time of its own is that is wanted, by atom; or -1."""
        found = np.full(len(visits), -1, dtype=np.int64)
        start, end = self._spans(visits)
        some = np.flatnonzero(start < end)
        began = self._began[visits[some]]
        since = np.clip(times[some] - began, -1, 1 << self._bits)
        at = np.searchsorted(self._keys, (visits[some] << self._bits) + since, side="right")
        # One of each at a time: mostly the first is one.
        while len(some):
            there = at < end[some]
            some, at = some[there], at[there]
            right = wanted[self.atoms[at]]
            found[some[right]] = at[right]
            some, at = some[~right], at[~right] + 1
        return found

    def _spans(self, visits: Whole) -> tuple[Whole, Whole]:
        last = len(self._start) - 1
        start, end = self._start[np.minimum(visits, last)], self._start[np.minimum(visits + 1, last)]
        return start.astype(np.int64), end.astype(np.int64)


def _order(numbers: NDArray[Any]) -> Whole:
    """Places in order of these whole numbers from 0 to below 2³¹, those of one number staying in order.

    Number and place as one: sorting values is several times as quick as sorting places by value.
    """
    keys = (numbers.astype(np.int64) << 32) | np.arange(len(numbers))
    keys.sort()
    return keys & 0xFFFFFFFF
