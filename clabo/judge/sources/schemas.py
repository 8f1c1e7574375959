"""The shapes of the sources report in the API."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal

from clabo.judge.columns.models import OwnColumn
from clabo.judge.reports.lens_params import LensIn
from clabo.judge.reports.schemas import LensOut, MeasuredOut, measured
from clabo.judge.sources.queries import Hour, SourceRow
from clabo.platform.shapes import IntervalOut, Shape, interval_out
from clabo.setup.conversions.lens import Lens


class SourcesIn(LensIn):
    """The lens, and what its visits are told apart by: "" for the next step of the chain."""

    by: str = ""
    # Only visits of these: "<dimension>:<value>" each.
    at: list[str] = []


class SourceRowOut(MeasuredOut):
    # "further": all beyond the first 500; "no_visit": credit and spend of which no visit is known.
    kind: Literal["value", "further", "no_visit", "total"]
    # As `at` takes it: the number of a page.
    value: str
    name: str
    # Where rows are pages.
    title: str


class SourcesOut(Shape):
    lens: LensOut
    by: str
    rows: list[SourceRowOut]
    total: SourceRowOut
    # The same in the period before, by value; empty unless compared.
    before: dict[str, SourceRowOut]


class HourOut(Shape):
    weekday: int
    hour: int
    entries: int
    converted: int
    rate: IntervalOut
    thin: bool


class HoursOut(Shape):
    lens: LensOut
    hours: list[HourOut]


def source_row_out(row: SourceRow, lens: Lens, columns: Sequence[OwnColumn] = ()) -> SourceRowOut:
    return SourceRowOut(
        kind=row.kind,
        value=row.value,
        name=str(row.page) if row.page else row.value,
        title=row.page.title if row.page else "",
        **measured(row, lens, columns),
    )


def hour_out(hour: Hour) -> HourOut:
    return HourOut(
        weekday=hour.weekday,
        hour=hour.hour,
        entries=hour.entries,
        converted=hour.converted,
        rate=interval_out(hour.rate),
        thin=hour.thin,
    )
