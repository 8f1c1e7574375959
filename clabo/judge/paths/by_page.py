"""How far visits got along a path, by the page that they entered on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from clabo.core.audiences import What
from clabo.core.paths.walk import walk
from clabo.judge.paths.reading import journeys, rows_of
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.matching.selecting import Inventory


def reached_by_page(lens: Lens, steps: Sequence[What]) -> dict[int, list[int]]:
    """By landing page, how many of the visits that entered there reached each step, within the visit."""
    known = Inventory(lens.site.pk)
    seen = journeys(lens)
    walked = walk([rows_of(step, seen, known) for step in steps])
    page_of = np.full(seen.known.size, -1, dtype=np.int64)
    for atom, page in seen.known.by("page").items():
        page_of[atom] = -1 if page is None else page
    pages, place = np.unique(page_of[seen.arrivals], return_inverse=True)
    of_those = place[walked.who]
    counts = [np.bincount(of_those[walked.at(step)], minlength=len(pages)) for step in range(len(steps))]
    return {int(page): [int(c[i]) for c in counts] for i, page in enumerate(pages) if page >= 0}
