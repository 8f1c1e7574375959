"""Values with the largest few cut to size, so that one order does not decide a test of value."""

from __future__ import annotations

from collections.abc import Sequence


def winsorise(samples: Sequence[Sequence[float]], share: float = 0.01) -> list[list[float]]:
    """The samples with their largest values cut to one limit that is common to all.

    The limit is the value that at most `share` of all that are not nought lie above; one for all arms, so that none is
    cut more than another (Dixon, Annals of Mathematical Statistics 31 (1960) 385-391; Kohavi, Tang & Xu, Trustworthy Online
    Controlled Experiments, 2020, ch. 22). What it estimates is not the mean any more, and stands beside it.

    Parameters
    ----------
    samples : sequence of sequences of float
        For each arm what those brought who brought anything.
    share : float
        Of all values, between 0 and ½.

    Returns
    -------
    list of list of float

    Raises
    ------
    ValueError
        For an impossible share.

    Examples
    --------
    >>> winsorise([[1, 2, 3, 900], [2, 2, 3, 4]], share=0.2)
    [[1, 2, 3, 4], [2, 2, 3, 4]]
    """
    if not 0 < share < 0.5:
        raise ValueError("share: must lie between 0 and ½")
    every = sorted(value for sample in samples for value in sample)
    if not every:
        return [list(sample) for sample in samples]
    limit = every[len(every) - int(len(every) * share) - 1]
    return [[min(value, limit) for value in sample] for sample in samples]
