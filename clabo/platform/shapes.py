"""Shapes that the API uses in many places."""

from __future__ import annotations

import math

from pydantic import BaseModel, ConfigDict

from clabo.core.evidence import Interval


class Shape(BaseModel):
    """What the API takes and gives. As pydantic has it: ninja's own looks every attribute up on its way."""

    model_config = ConfigDict(from_attributes=True)


class IntervalOut(Shape):
    """An estimate with its limits at 95 %. A missing limit: the data set none."""

    low: float | None
    estimate: float | None
    high: float | None


class MadeOut(Shape):
    """Something that was made: its id and name."""

    id: int
    name: str


def finite(value: float) -> float | None:
    """The number for JSON, which has neither nan nor infinity."""
    return value if math.isfinite(value) else None


def interval_out(i: Interval) -> IntervalOut:
    """The interval, with what it does not know left out."""
    return IntervalOut(low=finite(i.low), estimate=finite(i.estimate), high=finite(i.high))


def known_interval(i: Interval | None) -> IntervalOut | None:
    """The interval, or nothing where it knows nothing."""
    return interval_out(i) if i is not None and i.known else None
