"""Ways: what came before and after a page (definitions: "Next page")."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

Whole = NDArray[np.int64]
# There was nothing: the visit had not begun, or had ended.
NOTHING = -1


def around(who: Whole, what: Whole, centre: int, reach: int) -> Whole:
    """What stands around each occurrence of `centre`.

    Parameters
    ----------
    who, what : arrays of one length
        Visits and their pages, each visit's in order and beside each other.
    centre : int
        The page that is asked about.
    reach : int
        How far to look on either side, 1 or more.

    Returns
    -------
    array, occurrences × (2 · reach + 1)
        In the middle `centre`; NOTHING beyond a visit's first and last.

    Examples
    --------
    >>> around(np.array([0, 0, 0, 1]), np.array([5, 7, 5, 7]), 7, 1).tolist()
    [[5, 7, 5], [-1, 7, -1]]
    """
    if reach < 1:
        raise ValueError("reach: look at least one further")
    at = np.flatnonzero(what == centre)
    found = np.full((len(at), 2 * reach + 1), NOTHING, dtype=np.int64)
    for column, step in enumerate(range(-reach, reach + 1)):
        there = at + step
        inside = (there >= 0) & (there < len(who))
        there = np.clip(there, 0, max(len(who) - 1, 0))
        same = inside & (who[there] == who[at]) if len(at) else inside
        found[:, column] = np.where(same, what[there], NOTHING) if len(at) else NOTHING
    return found


def counted(places: Whole, reach: int, only: Mapping[int, int] | None = None) -> dict[int, dict[int, int]]:
    """How often what stands at each distance, of the occurrences that have at some distances what `only` says.

    Farther than nothing there is only nothing, and that is not counted again: at 2 NOTHING are those whose visit
    ended one before.

    Parameters
    ----------
    places : array, occurrences × (2 · reach + 1)
        As `around` gives it.
    only : mapping of distance to page, optional
        -reach to reach without 0.

    Returns
    -------
    dict of distance to dict of page to count
        For each distance but 0.
    """
    kept = np.ones(len(places), dtype=bool)
    for distance, page in (only or {}).items():
        kept &= places[:, reach + distance] == page
    some = places[kept]
    found: dict[int, dict[int, int]] = {}
    for distance in (d for d in range(-reach, reach + 1) if d):
        nearer = some[:, reach + distance - (1 if distance > 0 else -1)]
        there = some[nearer != NOTHING, reach + distance]
        pages, counts = np.unique(there, return_counts=True)
        found[distance] = dict(zip(pages.tolist(), counts.tolist(), strict=True))
    return found
