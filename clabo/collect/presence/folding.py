"""Pieces put on top of days: what a day's sets are once everything that changed them is applied."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, MutableMapping
from dataclasses import dataclass

import numpy as np
from pyroaring import BitMap


@dataclass(frozen=True, slots=True)
class Change:
    """A piece as stored (models.Piece)."""

    cleared: bytes
    out_atoms: bytes
    out_people: bytes
    in_atoms: bytes
    in_people: bytes


def fold(
    sets: MutableMapping[int, BitMap],
    changes: Iterable[Change],
    is_cleared: Callable[[int], bool],
) -> set[int]:
    """Apply the changes of one day, in order, to its sets by atom; the atoms whose sets may have changed.

    `is_cleared`: whether an atom's set loses visitors who are cleared. Sets are replaced, never changed.
    """
    touched: set[int] = set()
    for change in changes:
        if change.cleared:
            gone = BitMap.deserialize(change.cleared)
            for atom, people in sets.items():
                if is_cleared(atom) and people.intersect(gone):
                    sets[atom] = people - gone
                    touched.add(atom)
        for atom, some in grouped(change.out_atoms, change.out_people):
            if atom in sets:
                sets[atom] = sets[atom] - some
                touched.add(atom)
        for atom, some in grouped(change.in_atoms, change.in_people):
            sets[atom] = sets[atom] | some if atom in sets else some
            touched.add(atom)
    return touched


def grouped(atoms: bytes, people: bytes) -> Iterator[tuple[int, BitMap]]:
    """Pairs by atom."""
    if not atoms:
        return
    by, whom = np.frombuffer(atoms, "<u4"), np.frombuffer(people, "<u4")
    order = np.argsort(by, kind="stable")
    by, whom = by[order], whom[order]
    starts = np.flatnonzero(np.r_[True, by[1:] != by[:-1]])
    for start, end in zip(starts, [*starts[1:], len(by)], strict=True):
        yield int(by[start]), BitMap(whom[start:end])
