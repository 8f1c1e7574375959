"""Conversions whose value lies beyond what a day may bring without a proof (core/trust/daily_value_limit.py)."""

from __future__ import annotations

from collections.abc import Collection
from datetime import date, datetime, timedelta
from decimal import Decimal

from django.db.models import Q, QuerySet, Sum

from clabo.collect.events.models import Event
from clabo.core.trust.daily_value_limit import DayLimits, Valued, beyond
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.crediting import credit_conversions
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.sites.models import Site

# More days than this are looked up by their whole span.
FEW_DAYS = 40


def limits_of(rule: ConversionRule) -> DayLimits:
    return DayLimits(rule.visitor_day_limit, rule.network_day_limit, rule.site_day_limit)


def limit_days(rule: ConversionRule, times: Collection[datetime] | None = None) -> None:
    """Mark which of a rule's conversions lie beyond the limits, on the days that `times` fall on or on all.

    Credits of those that change are written anew. Call with the site's lock held, after the conversions are settled.
    """
    if not rule.has_value or (times is not None and not times):
        return
    site = Site.objects.get(pk=rule.site_id)
    limits = limits_of(rule)
    days = None if times is None else {t.astimezone(site.zone).date() for t in times}
    shown = Conversion.objects.reported().filter(
        _on(site, days), site=site, rule=rule, value__gt=0, currency=""
    )
    least = limits.least
    full: set[date] = set()
    if least is not None:
        sums = shown.values("day").annotate(sum=Sum("value"))
        full = {
            d for d in sums.filter(sum__gt=least).values_list("day", flat=True) if days is None or d in days
        }
    marked = set(shown.filter(beyond=True).values_list("day", flat=True))
    changed: list[int] = []
    for day in sorted(full | marked):
        changed += _mark(shown.filter(_on(site, {day})), limits if day in full else DayLimits())
    if changed:
        Credit.objects.filter(in_array("conversion_id", changed), site=site).delete()
        credit_conversions(site.pk, list(Conversion.objects.filter(in_array("id", changed))))


def _on(site: Site, days: Collection[date] | None) -> Q:
    """Conversions of these days (all with None); of many days, of the whole span from the first to the last."""
    if days is None:
        return Q()
    if not days:
        return Q(pk=None)
    spans = [(min(days), max(days))] if len(days) > FEW_DAYS else [(d, d) for d in days]
    asked = Q()
    for first, last in spans:
        asked |= Q(time__gte=site.midnight(first), time__lt=site.midnight(last + timedelta(days=1)))
    return asked


def _mark(of_day: QuerySet[Conversion], limits: DayLimits) -> list[int]:
    """Bring the marks of one day's conversions up to date; the ids of those that changed."""
    rows = list(
        of_day.values_list("id", "event_id", "visitor_id", "visit__network", "value", "beyond", "time")
    )
    if not rows:
        return []
    times = [row[-1] for row in rows]
    events = Event.objects.filter(
        in_array("id", {row[1] for row in rows}, "uuid"),
        site_id=of_day.values_list("site_id", flat=True)[0],
        time__gte=min(times),
        time__lte=max(times),
    )
    receipt = {
        e: (received, proven) for e, received, proven in events.values_list("id", "received", "proven")
    }
    rows.sort(key=lambda row: (receipt[row[1]][0], row[1]))
    values = [
        Valued(visitor, network or "", value or Decimal(0), receipt[event][1])
        for _, event, visitor, network, value, _, _ in rows
    ]
    out = set(beyond(values, limits))
    changed = [row[0] for place, row in enumerate(rows) if row[5] != (place in out)]
    for mark in (True, False):
        some = [row[0] for place, row in enumerate(rows) if row[0] in changed and (place in out) is mark]
        if some:
            Conversion.objects.filter(in_array("id", some)).update(beyond=mark)
    return changed
