"""Yesterday's counts against what such a weekday usually brings."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db.models import Count, Min, Sum

from clabo.collect.events.models import Page, TrafficDay
from clabo.core.evidence import Interval, usual_range
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.queries import rules_of
from clabo.setup.monitoring.uptime import absences
from clabo.setup.sites.models import Site

WEEKS = 8
# A day counts as lived through if Clabo was away for no more than this.
MOST_AWAY = timedelta(hours=1)


@dataclass(frozen=True, slots=True)
class DayCount:
    """One count of the day; `rule` is None for visits. `usual` has nan limits with under four days to go by."""

    rule: ConversionRule | None
    count: int
    usual: Interval


@dataclass(frozen=True, slots=True)
class Yesterday:
    """The counts of `day`; `days` is how many weekdays like it they are held against.

    `away`: Clabo was not there for the whole day, so that its counts are too low and are held against nothing.
    """

    day: date
    days: int
    away: bool
    counts: list[DayCount]


def yesterday(site: Site, now: datetime) -> Yesterday | None:
    """Visits and every conversion of the site's last whole day; None where there was no hit before it ended."""
    zone = site.zone
    day = now.astimezone(zone).date() - timedelta(days=1)
    first_at = Page.objects.filter(site=site).aggregate(at=Min("first_at"))["at"]
    if first_at is None or first_at.astimezone(zone).date() > day:
        return None
    like = [day - timedelta(weeks=week) for week in range(1, WEEKS + 1)]
    start = site.midnight(like[-1])
    end = site.midnight(day + timedelta(days=1))
    away = _away(site, start, end)
    # The day of the very first hit was no whole one.
    past = [d for d in like if d > first_at.astimezone(zone).date() and d not in away]

    visits = dict(
        TrafficDay.objects.filter(site=site, day__in=[day, *past]).values_list("day").annotate(Sum("entries"))
    )
    the_rules = rules_of(site)
    met: defaultdict[int, dict[date, int]] = defaultdict(dict)
    rows = (
        Conversion.objects.reported()
        .filter(
            site=site,
            rule__in=the_rules,
            time__gte=start,
            time__lt=end,
        )
        .filter(day__in=[day, *past])
        .values_list("rule_id", "day")
        .annotate(n=Count("id"))
    )
    for rule_id, on, n in rows:
        met[rule_id][on] = n

    def against(counts: Mapping[date, int], rule: ConversionRule | None) -> DayCount:
        usual = usual_range([] if day in away else [counts.get(d, 0) for d in past])
        return DayCount(rule, counts.get(day, 0), usual)

    return Yesterday(
        day,
        len(past),
        day in away,
        [against(visits, None), *(against(met[r.pk], r) for r in the_rules)],
    )


def _away(site: Site, start: datetime, end: datetime) -> set[date]:
    """The days of the site on which Clabo was away for long."""
    lost: defaultdict[date, timedelta] = defaultdict(timedelta)
    for gone, back in absences(start, end):
        at = max(gone, start).astimezone(site.zone)
        until = min(back, end).astimezone(site.zone)
        while at < until:
            midnight = site.midnight(at.date() + timedelta(days=1))
            lost[at.date()] += min(until, midnight) - at
            at = midnight
    return {on for on, span in lost.items() if span > MOST_AWAY}
