"""What this process keeps of packed days: by thing and day who did it when, with the version that it is of."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

import numpy as np
from numpy.typing import NDArray

from clabo.collect.presence.day_columns import Columns
from clabo.core.audiences import What

Day = tuple[int, NDArray[np.uint32], NDArray[np.int64]]

_days: dict[tuple[int, What, tuple[int, ...]], dict[date, Day]] = {}
MOST_THINGS = 200


def of(site_id: int, what: What, atoms: tuple[int, ...]) -> dict[date, Day]:
    """What is kept of a thing, which is so many atoms, to be filled."""
    if len(_days) > MOST_THINGS:
        _days.clear()
    return _days.setdefault((site_id, what, atoms), {})


def chosen(version: int, columns: Columns, atoms: Sequence[int]) -> Day:
    """A day's happenings of these atoms."""
    asked = np.zeros(int(columns.atoms.max(initial=0)) + 1, dtype=bool)
    asked[[a for a in atoms if a < len(asked)]] = True
    some = asked[columns.atoms]
    return version, columns.people[some], columns.times[some]
