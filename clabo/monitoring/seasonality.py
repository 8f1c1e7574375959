"""How often something happens in each hour of the week: what its silence is judged by (core/seasonality.py)."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.db.models import Count, Max, Min, QuerySet
from django.db.models.functions import ExtractHour, ExtractIsoWeekDay

from clabo.core.seasonality import HOURS

WEEKS = 8


@dataclass(slots=True)
class Seasonality:
    """Counts by hour of the week in the site's time zone, and the first and last time."""

    by_hour: list[float]
    first: datetime
    last: datetime

    def weeks(self, begun: datetime | None = None) -> float:
        """Over how many weeks it was counted, from `begun` if that is known: one at least."""
        return max((self.last - (begun or self.first)) / timedelta(weeks=1), 1.0)


def seasonality_by(rows: QuerySet, by: str, zone: ZoneInfo) -> dict[int, Seasonality]:  # type: ignore[type-arg]  # of events or of conversions
    """The seasonality of `rows`, which have a `time`, for each value of the field `by`."""
    hours = (
        rows.annotate(weekday=ExtractIsoWeekDay("time", tzinfo=zone), hour=ExtractHour("time", tzinfo=zone))
        .values_list(by, "weekday", "hour")
        .annotate(n=Count("id"), first=Min("time"), last=Max("time"))
    )
    found: dict[int, Seasonality] = {}
    for key, weekday, hour, n, first, last in hours:
        seasonality = found.setdefault(key, Seasonality([0.0] * HOURS, first, last))
        seasonality.by_hour[(weekday - 1) * 24 + hour] += n
        seasonality.first, seasonality.last = min(first, seasonality.first), max(last, seasonality.last)
    return found
