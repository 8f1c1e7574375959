"""A report's numbers day by day, or week by week, of all pages or of some."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import Decimal
from typing import Literal

from django.db.models import Count, Sum

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import TrafficDay
from clabo.collect.events.queries import BOUNCED
from clabo.core.evidence import dispersion_of, return_interval
from clabo.judge.reports.rows import ReportRow, add_credits, add_rates, spread_of, worth_of_one
from clabo.setup.conversions.lens import Lens
from clabo.use.spend.joining import paid_under

Grain = Literal["day", "week"]


@dataclass(slots=True, kw_only=True)
class Point(ReportRow):
    """A day or a week (from Monday), as far as the lens looks at it. `days` of a week may be fewer than seven."""

    start: date = date.min
    days: int = 0


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
        credits = lens.credits(days=False).filter(rule=lens.rule)
        if pages is not None:
            credits = credits.filter(page_id__in=pages)
        rows: defaultdict[date, Point] = defaultdict(Point)
        add_credits(lens, credits, "day", rows, () if pages is None else frozenset(pages))
        for day, row in rows.items():
            of_day[day].add(row)
    for (day, page), paid in paid_under(lens).items():
        if pages is None or page in pages:
            of_day[day].paid += paid
    found = [points[start] for start in sorted(points)]
    add_rates(found)
    mean = worth_of_one(found, lens.rule)
    daily = [[(float(point.summed), float(point.spend)) for point in found]]
    spread = spread_of((r.worths for r in found), lens.rule, mean, dispersion_of(daily))
    for point in found:
        point.valued = valued
        if valued and mean:
            own = float(point.revenue / point.summed) if point.summed else 0.0
            point.each = mean if point.thin else own or mean
            if point.spend:
                point.roas_interval = return_interval(point.worths, float(point.spend), spread)
    return found


def _counts(lens: Lens, pages: Collection[int] | None) -> list[tuple[date, int, int, int]]:
    if lens.people is None:
        counts = TrafficDay.objects.filter(lens.filter(days=False))
        if pages is not None:
            counts = counts.filter(page_id__in=pages)
        sums = counts.values_list("day").annotate(Sum("entries"), Sum("begun_views"), Sum("bounces"))
        what = lens.sight and (lens.sight, "day", None if pages is None else frozenset(pages))
        return of_days(TrafficDay, lens.site.pk, lens.first, lens.last, what, lambda days: sums.filter(days))
    visits = lens.visits().order_by()
    if pages is not None:
        visits = visits.filter(entry_page_id__in=pages)
    rows = visits.values_list("day").annotate(n=Count("id"), v=Sum("views"), b=Count("id", filter=BOUNCED))
    return list(rows)
