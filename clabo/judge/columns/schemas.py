"""The shapes of own columns in the API."""

from __future__ import annotations

from decimal import Decimal
from typing import Any, Literal, cast

from ninja import Field

from clabo.core.money.own_column import Measure, Ratio
from clabo.judge.columns.models import OwnColumn
from clabo.platform.shapes import Shape

Mark = Literal["", "under", "over"]


class OwnColumnIn(Shape):
    name: str = Field(max_length=40)
    numerator: Measure
    denominator: Measure
    # Where it is marked: under or over a number.
    mark: Mark = ""
    mark_at: Decimal | None = Field(None, max_digits=14, decimal_places=4)


class OwnColumnOut(OwnColumnIn):
    id: int
    # The one is a part of the other: a rate.
    share: bool


def own_column_out(c: OwnColumn) -> OwnColumnOut:
    return OwnColumnOut(
        id=c.pk,
        name=c.name,
        numerator=cast(Any, c.numerator),
        denominator=cast(Any, c.denominator),
        mark=cast(Any, c.mark),
        mark_at=c.mark_at,
        share=Ratio(c.numerator, c.denominator).share,
    )
