"""Since when somebody is in an audience without a break, and when they leave it if nothing more happens."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray
from pyroaring import BitMap

from clabo.core.audiences import LONGEST, Definition, parts
from clabo.use.audiences.evaluation.people import Population, day_by_day

# How far back a beginning is looked for. Whoever has been in for longer came in "by" that day.
FURTHEST = 365


@dataclass(frozen=True, slots=True)
class Stays:
    """Of every member the day they came in and the day they leave, in the order of their numbers.

    A day is days before (in) and after (out) today; -1 in `out` where they stay for good.
    """

    numbers: NDArray[np.uint32]
    came: NDArray[np.int64]
    leaves: NDArray[np.int64]
    today: date

    def dates(self, numbers: Sequence[int]) -> Iterator[tuple[date, date | None]]:
        """Of these members the day they came in, and the first day on which they are not in; None where there is none."""
        places = np.searchsorted(self.numbers, np.asarray(numbers, dtype=np.uint32))
        for came, leaves in zip(self.came[places].tolist(), self.leaves[places].tolist(), strict=True):
            until = None if leaves < 0 else self.today + timedelta(days=leaves)
            yield self.today - timedelta(days=came), until


def stays(population: Population, definition: Definition) -> Stays:
    """Of everybody who is in now. The population has been made to reach FURTHEST days back."""
    ahead = max((part.end for part in parts(definition)), default=0)
    sets = day_by_day(population, definition, None, FURTHEST, min(ahead, LONGEST))
    later = [next(sets) for _ in range(min(ahead, LONGEST))][::-1]
    members = next(sets)
    numbers = np.array(members, dtype=np.uint32)
    leaves = _first_without(members, numbers, later, 1)
    came = _first_without(members, numbers, sets, 0)
    came[came < 0] = FURTHEST - 1
    return Stays(numbers, came, leaves, population.today)


def _first_without(
    members: BitMap, numbers: NDArray[np.uint32], days: Iterable[BitMap], first: int
) -> NDArray[np.int64]:
    """For each member the place, counted from `first`, of the first day without them; -1 where there is none."""
    found = np.full(len(numbers), -1, dtype=np.int64)
    still = members
    for place, there in enumerate(days, first):
        gone = still - there
        if gone:
            found[np.searchsorted(numbers, np.array(gone, dtype=np.uint32))] = place
            still = still & there
        if not still:
            break
    return found
