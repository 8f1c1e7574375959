"""Since when somebody is in an audience without a break, and when they leave it if nothing more happens."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray
from pyroaring import BitMap

from clabo.audiences.people import Population, day_by_day
from clabo.core.audiences import LONGEST, Definition, parts

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

    def since(self, place: int) -> date:
        """The day that the member at `place` came in."""
        return self.today - timedelta(days=int(self.came[place]))

    def until(self, place: int) -> date | None:
        """The first day on which the member at `place` is not in any more; None where there is none."""
        days = int(self.leaves[place])
        return None if days < 0 else self.today + timedelta(days=days)


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
