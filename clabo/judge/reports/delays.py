"""How many conversions of a lens's days are still to come, as those of the past have come."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Sum
from django.db.models.functions import ExtractHour, TruncHour

from clabo.collect.events.daysums import of_days
from clabo.core.evidence import Interval
from clabo.core.money.conversion_delays import Came, Delays, delays, to_come
from clabo.judge.reports.rows import ReportRow
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.models import Credit
from clabo.setup.conversions.queries import rests_on_outcomes

# Besides the attribution window, so many days are looked at.
_PAST = 90


@dataclass(frozen=True, slots=True)
class Known:
    """The delays as of a day, and the days that are looked at, none of them after it."""

    delays: Delays
    today: date
    days: Sequence[date]


def delays_of(lens: Lens, now: datetime | None = None) -> Known | None:
    """The delays of the lens's conversion under its model, of everybody's visits.

    None where there are too few, or no conversion, or the attribution window is longer than anybody has looked on.
    """
    if lens.rule is None:
        return None
    site = lens.site
    here = (now or datetime.now(UTC)).astimezone(site.zone)
    today, clock = here.date(), here.hour + here.minute / 60
    window = site.attribution_window_days
    first = today - timedelta(days=window + _PAST - 1)
    credits = Credit.objects.filter(site=site, rule=lens.rule, model=lens.model, visit__isnull=False)
    came = TruncHour("conversion__time", tzinfo=site.zone)
    began = ExtractHour("visit__started_at", tzinfo=site.zone)
    counts: Counter[Came] = Counter()
    for day, came_at, began_at, share in of_days(
        Credit,
        site.pk,
        first,
        today,
        (lens.rule.pk, lens.model, str(site.zone), "came at"),
        lambda days: credits.filter(days).values_list("day").annotate(came=came, began=began, n=Sum("share")),
    ):
        # By the clock on the wall, which a day of 23 or 25 hours moves.
        wall = came_at.astimezone(site.zone).replace(tzinfo=None)
        after = int((wall - datetime.combine(day, datetime.min.time())) / timedelta(hours=1))
        age = (today - day).days
        if age >= 0:
            # What a server reports may be of a time that is still to come.
            counts[Came(age, began_at, min(max(after, 0), 24 * age + here.hour))] += share
    if counts and rests_on_outcomes(lens.rule.rule):
        # Outcomes are told of later than any attribution window.
        window = max(window, max(c.after for c in counts) // 24 + 1)
    found = delays({of: float(n) for of, n in counts.items()}, window, clock)
    days = [lens.first + timedelta(days=n) for n in range((min(lens.last, today) - lens.first).days + 1)]
    return None if found is None else Known(found, today, days)


def add_to_come(known: Known | None, rows: Iterable[ReportRow]) -> None:
    """Fill in what is still to come of each row's conversions, from their days."""
    for row in rows:
        row.to_come = still_to_come(known, row.by_day)


def add_to_come_by_day(known: Known | None, rows: Iterable[ReportRow]) -> None:
    """The same of rows that have days of their own."""
    for row in rows:
        own = [day for day in row.by_day if known and day <= known.today]
        row.to_come = still_to_come(known, row.by_day, own)


def still_to_come(
    known: Known | None, by_day: Mapping[date, Decimal], days: Sequence[date] | None = None
) -> Interval | None:
    """Of conversions by the day of their visit, how many more those days will have brought; None for less than half a one."""
    if known is None:
        return None
    expected = to_come(
        known.delays,
        [
            ((known.today - day).days, float(by_day.get(day, 0)))
            for day in (known.days if days is None else days)
        ],
    )
    return expected if expected.estimate >= 0.5 else None
