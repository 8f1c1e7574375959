"""What looks made up: the site key is public, so anyone can send what a tag sends.

Nothing here is a proof. Each rule compares with the site's own past and is asked only where there is enough of it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TypeVar

from clabo.core.evidence import rate_interval, usual_range

K = TypeVar("K")
# Values before, without which none is called odd; and how many times the largest of them is.
LEAST_VALUES, TIMES_LARGEST = 30, 5.0
# New pages of a day, below which nobody need look; and how many times what is usual.
LEAST_PAGES, TIMES_USUAL = 200, 5.0
# Conversions of one network, below which it may be one household.
LEAST_CONVERSIONS = 8
# Of the conversions that came from any known network, the share of one for certain.
SHARE_OF_ONE = 0.3


def odd_values(values: Sequence[float], past: Sequence[float]) -> list[int]:
    """Places of the values that are more than five times the largest of at least thirty before them.

    >>> odd_values([59.0, 9000.0], [59.0] * 29 + [118.0])
    [1]
    """
    if len(past) < LEAST_VALUES or max(past) <= 0:
        return []
    bar = TIMES_LARGEST * max(past)
    return [place for place, value in enumerate(values) if value > bar]


def too_many_pages(new: int, days_before: Sequence[int]) -> bool:
    """Whether so many pages seen for the first time in a day are far from what the days before had."""
    usual = sorted(days_before)[len(days_before) // 2] if days_before else 0
    return new >= LEAST_PAGES and new > TIMES_USUAL * max(usual, max(days_before, default=0) / TIMES_USUAL)


def too_many(count: int, like: Sequence[int]) -> bool:
    """Whether a day's count lies far above what such days bring: over twice the upper limit of their usual range."""
    usual = usual_range(like)
    return usual.known and count > 2 * max(usual.high, 10.0)


def one_source(counts: Mapping[K, int]) -> K | None:
    """The network from which too many of the conversions came: eight or more, and over a third of all, for certain.

    Where only one network is known at all, nothing can be said of it.

    >>> one_source({"a": 30, "b": 5, "c": 6})
    'a'
    """
    if len(counts) < 2:
        return None
    best = max(counts, key=counts.__getitem__)
    most, whole = counts[best], sum(counts.values())
    others = max(n for key, n in counts.items() if key != best)
    certain = rate_interval(most, whole).low > SHARE_OF_ONE
    return best if most >= LEAST_CONVERSIONS and certain and most >= 3 * others else None
