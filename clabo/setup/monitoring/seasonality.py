"""How often something happens by day and hour: what its silence is judged by (core/pages/silence.py)."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
from django.db.models import Aggregate, QuerySet
from django.db.models.functions import ExtractHour, TruncDate
from numpy.typing import NDArray

from clabo.core.pages.silence import Rhythm

WEEKS = 8


def by_hour(
    rows: QuerySet,  # type: ignore[type-arg]  # of events or of conversions
    by: str | None,
    how_many: Aggregate,
    zone: ZoneInfo,
    days: Sequence[date],
    time: str = "time",
) -> dict[int | None, NDArray[np.float64]]:
    """Counts of `rows`, by the day (rows) and hour of their `time` in a time zone, for each value of the field `by`.

    Without a field all are counted together, under None.
    """
    fields = ["on", "hour", *([by] if by else [])]
    found: dict[int | None, NDArray[np.float64]] = {}
    place = {day: n for n, day in enumerate(days)}
    if not days:
        return found
    begun = datetime.combine(days[0], datetime.min.time(), zone)
    hours = (
        rows.filter(**{f"{time}__gte": begun})
        .annotate(on=TruncDate(time, tzinfo=zone), hour=ExtractHour(time, tzinfo=zone))
        .values_list(*fields)
        .annotate(how_many)
    )
    for on, hour, *key, n in hours.order_by():
        if on in place:
            cells = found.setdefault(key[0] if key else None, np.zeros((len(days), 24)))
            cells[place[on], hour] += n
    return found


def days_before(last: datetime, first: datetime, zone: ZoneInfo) -> list[date]:
    """The whole days before the day of `last`, up to eight weeks of them and none before the day after `first`."""
    end = last.astimezone(zone).date()
    begun = max(first.astimezone(zone).date() + timedelta(days=1), end - timedelta(weeks=WEEKS))
    return [begun + timedelta(days=n) for n in range((end - begun).days)]


def rhythm_before(
    cells: NDArray[np.float64], days: Sequence[date], last: datetime, first: datetime, zone: ZoneInfo
) -> Rhythm | None:
    """The rhythm of what `cells` count on `days`, up to the day of `last`; None where that is too little."""
    own = days_before(last, first, zone)
    at = [n for n, day in enumerate(days) if own and own[0] <= day <= own[-1]]
    return Rhythm.of(cells[at], days[at[0]]) if at else None
