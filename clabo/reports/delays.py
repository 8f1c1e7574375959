"""How many conversions of a lens's days are still to come, as those of the past have come."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import DateField, Sum
from django.db.models.functions import Cast, TruncDay

from clabo.conversions.lens import Lens
from clabo.conversions.models import Credit
from clabo.core.delays import Delays, delays, to_come
from clabo.core.evidence import Interval
from clabo.events.daysums import of_days
from clabo.reports.rows import ReportRow

# Besides the attribution window, so many days are looked at.
_PAST = 90


def delays_of(lens: Lens, today: date | None = None) -> tuple[Delays, date] | None:
    """The delays of the lens's conversion under its model, of everybody's visits; and the day that it is.

    None where there are too few, or no conversion.
    """
    if lens.rule is None:
        return None
    site = lens.site
    today = today or datetime.now(UTC).astimezone(site.zone).date()
    window = site.attribution_window_days
    first = today - timedelta(days=window + _PAST - 1)
    credits = Credit.objects.filter(site=site, rule=lens.rule, model=lens.model, visit__isnull=False)
    on = Cast(TruncDay("conversion__time", tzinfo=site.zone), DateField())
    counts: defaultdict[tuple[int, int], float] = defaultdict(float)
    for day, came, share in of_days(
        Credit,
        site.pk,
        first,
        today,
        (lens.rule.pk, lens.model, str(site.zone), "came on"),
        lambda days: credits.filter(days).values_list("day").annotate(on=on, n=Sum("share")),
    ):
        age, lag = (today - day).days, (came - day).days
        # A conversion over midnight in a visit may lie a day beyond the window.
        counts[max(age, 0), min(max(lag, 0), window, max(age, 0))] += float(share)
    found = delays(counts, window)
    return None if found is None else (found, today)


def add_to_come(known: tuple[Delays, date] | None, rows: Iterable[ReportRow]) -> None:
    """Fill in what is still to come of each row's conversions, from their days."""
    for row in rows:
        row.to_come = still_to_come(known, row.by_day)


def still_to_come(known: tuple[Delays, date] | None, by_day: Mapping[date, Decimal]) -> Interval | None:
    """Of conversions by the day of their visit, how many more those days will have brought; None for less than half a one."""
    if known is None:
        return None
    found, today = known
    expected = to_come(found, [((today - day).days, float(n)) for day, n in by_day.items() if day <= today])
    return expected if expected.estimate >= 0.5 else None
