"""Values with the largest few cut to size, so that one order does not decide a test of value."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import ArrayLike, NDArray


def winsorise(samples: Sequence[ArrayLike], share: float = 0.01, least: int = 0) -> list[NDArray[np.float64]]:
    """The samples with their largest values cut to one limit that is common to all.

    The limit is the value that at most `share` of all that are not nought lie above; one for all arms, so that none is
    cut more than another (Dixon, Annals of Mathematical Statistics 31 (1960) 385-391; Kohavi, Tang & Xu, Trustworthy Online
    Controlled Experiments, 2020, ch. 22). What it estimates is not the mean any more, and stands beside it.

    Parameters
    ----------
    samples : sequence of array_like of float
        For each arm what those brought who brought anything.
    share : float
        Of all values, between 0 and ½.
    least : int
        So many at least are cut, where that leaves half of them: a share of few values is none, and there a single one
        decides most.

    Returns
    -------
    list of list of float

    Raises
    ------
    ValueError
        For an impossible share.

    Examples
    --------
    >>> [cut.tolist() for cut in winsorise([[1, 2, 3, 900], [2, 2, 3, 4]], share=0.2)]
    [[1.0, 2.0, 3.0, 4.0], [2.0, 2.0, 3.0, 4.0]]
    >>> [cut.tolist() for cut in winsorise([[1, 2, 900], [3]], least=1)]
    [[1.0, 2.0, 3.0], [3.0]]
    """
    if not 0 < share < 0.5:
        raise ValueError("share: must lie between 0 and ½")
    arrays = [np.asarray(sample, dtype=float) for sample in samples]
    every = np.concatenate(arrays) if arrays else np.zeros(0)
    if not every.size:
        return arrays
    many = max(int(every.size * share), min(least, every.size // 2))
    place = every.size - many - 1
    limit = np.partition(every, place)[place]
    return [np.minimum(sample, limit) for sample in arrays]
