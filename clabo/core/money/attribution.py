"""Which visits a conversion is credited to (definitions: "Attribution")."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Literal, get_args

from clabo.core.pages.traffic_source import Channel

Model = Literal["last_paid", "last", "first", "linear"]
MODELS: tuple[Model, ...] = get_args(Model)
WINDOWS = (1, 7, 14, 28, 30, 90)
# Linear credit is shared by no more visits than these, the last ones: what one browser makes up must not cost without end.
MOST_SHARING = 100
SHARE_DIGITS = Decimal("0.000000001")


@dataclass(frozen=True, slots=True)
class Touch:
    """A visit that may have led to a conversion, the `number`th of its visitor's.

    Of two that began in the same moment the number tells which came first: ids are given in the order of arrival.
    """

    visit: int
    start: datetime
    channel: Channel
    number: int = 0

    @property
    def place(self) -> tuple[datetime, int]:
        """What touches are put in order by."""
        return self.start, self.number


def eligible(
    touches: Sequence[Touch], converted_at: datetime, window_days: int, own: int | None = None
) -> list[Touch]:
    """Touches that began in the window up to the conversion, oldest first; `own`, the visit that it happened in, always.

    `touches` are visits with a view, in order of `place`. The list is empty where none is eligible: the credit then is
    nobody's.
    """
    earliest = converted_at - timedelta(days=window_days)
    first = bisect_left(touches, earliest, key=_start)
    after = bisect_right(touches, converted_at, lo=first, key=_start)
    found = list(touches[first:after])
    if own is not None and all(t.visit != own for t in reversed(found)):
        found = [t for t in touches[:first] if t.visit == own] + found
        found += [t for t in touches[after:] if t.visit == own]
    return found


def _start(touch: Touch) -> datetime:
    return touch.start


def credit(touches: Sequence[Touch], model: Model) -> list[tuple[Touch, Decimal]]:
    """Shares of one conversion over its eligible `touches` (oldest first). They sum to 1 exactly.

    Raises ValueError where there is no touch: then the credit stands in a row of its own.
    """
    if not touches:
        raise ValueError("touches: at least one is needed to take the credit")
    one = Decimal(1)
    if model == "first":
        return [(touches[0], one)]
    if model == "linear":
        touches = touches[-MOST_SHARING:]
        share = (one / len(touches)).quantize(SHARE_DIGITS)
        rest = one - share * (len(touches) - 1)
        return [(t, share) for t in touches[:-1]] + [(touches[-1], rest)]
    if model == "last_paid":
        paid = next((t for t in reversed(touches) if t.channel == "paid"), None)
        found = paid or next((t for t in reversed(touches) if t.channel != "direct"), None)
        if found:
            return [(found, one)]
    return [(touches[-1], one)]
