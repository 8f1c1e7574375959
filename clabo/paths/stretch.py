"""What happened in visits, laid out so that some of it is found without going through the rest."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from clabo.core.paths import Whole

# Numbers below this are sorted by their digits, which is much quicker.
_SHORT = 1 << 16


class Stretch:
    """Events in order of visit, then of time: which visit (`who`, a whole number), when, and which atom."""

    def __init__(self, who: Whole, times: Whole, atoms: NDArray[np.uint32]) -> None:
        """Events in order of time, in any order of visits."""
        order = _order(who)
        self.who = who[order].astype(np.int32)
        self.times = times[order]
        self.atoms = atoms[order]
        # Places of each atom's events, in order.
        self._by_atom = _order(self.atoms).astype(np.int32)
        self._until = np.cumsum(np.bincount(self.atoms))

    def __len__(self) -> int:
        return len(self.who)

    @property
    def bytes(self) -> int:
        """What it takes."""
        return sum(int(c.nbytes) for c in (self.who, self.times, self.atoms, self._by_atom, self._until))

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

    def of_visits(self, visits: Whole) -> Whole:
        """Where the events of these visits are, in order; the visits once each and in order."""
        asked = visits.astype(np.int32)
        start = np.searchsorted(self.who, asked)
        many = np.searchsorted(self.who, asked, side="right") - start
        # The first place of each, and from there on one by one.
        return np.repeat(start - np.cumsum(many) + many, many) + np.arange(many.sum())


def _order(numbers: NDArray[Any]) -> Whole:
    """Places in order of these whole numbers from 0 on, those of one number staying in order."""
    if not len(numbers) or numbers.max() < _SHORT:
        return np.argsort(numbers.astype(np.uint16), kind="stable")
    if numbers.max() >= _SHORT**2:
        return np.argsort(numbers, kind="stable")
    order = np.argsort((numbers % _SHORT).astype(np.uint16), kind="stable")
    return order[np.argsort((numbers[order] // _SHORT).astype(np.uint16), kind="stable")]
