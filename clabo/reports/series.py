"""A report's numbers day by day, or week by week, of all pages or of some."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from typing import Literal

from django.db.models import Count, Sum

from clabo.conversions.lens import Lens
from clabo.core.evidence import Interval
from clabo.core.evidence.ratios import poisson_limits
from clabo.events.models import TrafficDay
from clabo.reports.narrow import BOUNCED
from clabo.reports.rows import ReportRow, add_rates
from clabo.spend.joining import paid_under

Grain = Literal["day", "week"]


@dataclass(slots=True, kw_only=True)
class Point(ReportRow):
    """A day or a week (from Monday), as far as the lens looks at it. `days` of a week may be fewer than seven."""

    start: date = date.min
    days: int = 0
    # Credited conversions of each of its days.
    by_day: dict[date, Decimal] = field(default_factory=dict)
    # What one conversion is worth there, or where they are few in the whole period; None without a value.
    each: float | None = None


def series(lens: Lens, grain: Grain = "day", pages: Collection[int] | None = None) -> list[Point]:
    """Every day or week of the lens in order, with those on which nothing happened."""
    points: dict[date, Point] = {}
    for ago in range(lens.days):
        day = lens.first + timedelta(days=ago)
        start = day - timedelta(days=day.weekday()) if grain == "week" else day
        # The first week begins where the lens does.
        point = points.setdefault(start, Point(start=max(start, lens.first), days=0))
        point.days += 1
        point.by_day[day] = Decimal(0)
    of_day = {day: point for point in points.values() for day in point.by_day}
    for day, entries, begun_views, bounces in _counts(lens, pages):
        point = of_day[day]
        point.entries += entries
        point.begun_views += begun_views
        point.bounces += bounces
    valued = lens.rule is not None and lens.rule.has_value
    if lens.rule:
        credits = lens.credits().filter(rule=lens.rule)
        if pages is not None:
            credits = credits.filter(page_id__in=pages)
        for day, share, value in credits.values_list("day").annotate(Sum("share"), Sum("value")):
            of_day[day].conversions += share
            of_day[day].by_day[day] += share
            of_day[day].revenue += value or Decimal(0)
        # A visit has one day, so that a week's visits are its days' together.
        known = (
            credits.filter(visit__isnull=False).values_list("day").annotate(Count("visit_id", distinct=True))
        )
        for day, converted in known:
            of_day[day].converted += converted
    for (day, page), paid in paid_under(lens).items():
        if pages is None or page in pages:
            of_day[day].paid += paid
    found = [points[start] for start in sorted(points)]
    add_rates(found)
    whole = sum(p.converted for p in found)
    mean = float(sum((p.revenue for p in found), Decimal(0))) / whole if whole else 0.0
    for point in found:
        point.valued = valued
        if valued and mean:
            point.each = mean if point.thin or not point.converted else float(point.revenue) / point.converted
            if point.spend:
                point.roas_interval = _return(point, point.each)
    return found


def _counts(lens: Lens, pages: Collection[int] | None) -> list[tuple[date, int, int, int]]:
    if lens.people is None:
        days = TrafficDay.objects.filter(lens.filter())
        if pages is not None:
            days = days.filter(page_id__in=pages)
        return list(days.values_list("day").annotate(Sum("entries"), Sum("begun_views"), Sum("bounces")))
    visits = lens.visits().order_by()
    if pages is not None:
        visits = visits.filter(entry_page_id__in=pages)
    rows = visits.values_list("day").annotate(n=Count("id"), v=Sum("views"), b=Count("id", filter=BOUNCED))
    return list(rows)


def _return(point: Point, each: float) -> Interval:
    """The return of one point: what came, with the exact (Garwood) limits of how many conversions there were."""
    spend = float(point.spend)
    low, high = poisson_limits(point.converted)
    estimate = float(point.revenue) / spend
    return Interval(min(low * each / spend, estimate), estimate, max(high * each / spend, estimate))


def times(interval: Interval, factor: float) -> Interval:
    """The interval in another unit."""
    return Interval(*(limit * factor for limit in (interval.low, interval.estimate, interval.high)))
