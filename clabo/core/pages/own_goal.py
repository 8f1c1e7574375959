"""What a landing page is there for, where its visits say so (definitions: "A page's own goal")."""

from __future__ import annotations

from collections.abc import Hashable, Mapping
from typing import TypeVar

from clabo.core.evidence import rate_interval
from clabo.core.evidence.proportions import THIN

K = TypeVar("K", bound=Hashable)


def own_goal(led_to: Mapping[K, int], level: float = 0.95) -> K | None:
    """The conversion that most of a page's visits led to; None where the evidence names none.

    `led_to`: visits that entered on the page and led to each conversion. The first is named where it has at least
    five and leads the second for certain: of the visits to either, its share's Wilson interval lies above one half.

    >>> own_goal({"order": 3, "lead": 40})
    'lead'
    >>> own_goal({"order": 12, "lead": 15}) is None
    True
    """
    ranked = sorted(led_to.items(), key=lambda item: -item[1])
    if not ranked or ranked[0][1] < THIN:
        return None
    best, most = ranked[0]
    second = ranked[1][1] if len(ranked) > 1 else 0
    return best if rate_interval(most, most + second, level).low > 0.5 else None
