"""Which visits a conversion is credited to (definitions: "Attribution")."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Literal, get_args

from clabo.core.channels import Channel

Model = Literal["last_paid", "last", "first", "linear"]
MODELS: tuple[Model, ...] = get_args(Model)
WINDOWS = (1, 7, 14, 28, 30, 90)
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


def eligible(
    touches: Sequence[Touch], converted_at: datetime, window_days: int, own: int | None = None
) -> list[Touch]:
    """Touches that began in the window up to the conversion, oldest first; `own`, the visit that it happened in, always.

    `touches` are visits with a view. The list is empty where none is eligible: the credit then is nobody's.
    """
    earliest = converted_at - timedelta(days=window_days)
    return sorted(
        (t for t in touches if t.visit == own or earliest <= t.start <= converted_at),
        key=lambda t: (t.start, t.number),
    )


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
        share = (one / len(touches)).quantize(SHARE_DIGITS)
        rest = one - share * (len(touches) - 1)
        return [(t, share) for t in touches[:-1]] + [(touches[-1], rest)]
    if model == "last_paid":
        newest_first = list(reversed(touches))
        paid = [t for t in newest_first if t.channel == "paid"]
        for found in (paid, [t for t in newest_first if t.channel != "direct"]):
            if found:
                return [(found[0], one)]
    return [(touches[-1], one)]
