"""What on a site looks made up, with what could be set aside."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from datetime import datetime, timedelta
from decimal import Decimal
from typing import Literal

from django.db.models import Count, Sum
from django.db.models.functions import TruncDate

from clabo.collect.events.daysums import of_days
from clabo.collect.events.models import NetworkDay, Page, TrafficDay, Visit
from clabo.core.trust import forgery
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.queries import rests_on_outcomes, rules_of
from clabo.setup.sites.models import Site

LOOKED_AT = timedelta(days=7)
PAST = timedelta(weeks=8)
Kind = Literal["values", "beyond", "pages", "one_network", "visits", "conversions"]


@dataclass(frozen=True, slots=True)
class Suspicion:
    """Something that looks made up. `count` of what, `usual` beside it, and who or when could be set aside."""

    kind: Kind
    count: int
    usual: float | None = None
    rule: ConversionRule | None = None
    value: Decimal | None = None
    order: str = ""
    network: str = ""
    visitor_id: int | None = None
    from_at: datetime | None = None
    until_at: datetime | None = None


def suspicions(site: Site, now: datetime) -> list[Suspicion]:
    """All that looks made up in the last seven days, what weighs most first."""
    # Outcomes are told by whoever keeps the site's books.
    the_rules = [rule for rule in rules_of(site) if not rests_on_outcomes(rule.rule)]
    found: list[Suspicion] = []
    for rule in the_rules:
        found += _values(site, rule, now)
        found += _beyond(site, rule, now)
        found += _one_network(site, rule, now)
    return [*found, *_pages(site, now), *_days(site, the_rules, now)]


def _values(site: Site, rule: ConversionRule, now: datetime) -> list[Suspicion]:
    """Orders worth far more than any before them."""
    if not rule.value_property:
        return []
    start = now - LOOKED_AT
    valued = Conversion.objects.reported().filter(site=site, rule=rule, value__gt=0, currency="")
    recent = list(valued.filter(time__gte=start).order_by("-value")[:20])
    if not recent:
        return []
    past = valued.filter(beyond=False, time__lt=start, time__gte=start - PAST).values_list("value", flat=True)
    before = [float(v) for v in past if v is not None]
    odd = forgery.odd_values([float(c.value or 0) for c in recent], before)
    return [
        Suspicion(
            "values",
            1,
            max(before),
            rule,
            recent[place].value,
            recent[place].order,
            visitor_id=recent[place].visitor_id,
        )
        for place in odd[:3]
    ]


def _beyond(site: Site, rule: ConversionRule, now: datetime) -> list[Suspicion]:
    """Values that stand in no sum, because a day may not bring so much without a proof."""
    over = Conversion.objects.reported().filter(site=site, rule=rule, beyond=True, time__gte=now - LOOKED_AT)
    told = over.aggregate(n=Count("id"), sum=Sum("value"), visitors=Count("visitor", distinct=True))
    if not told["n"]:
        return []
    last = over.order_by("-time", "-id")[0]
    one = last.visitor_id if told["visitors"] == 1 else None
    return [Suspicion("beyond", told["n"], None, rule, told["sum"], last.order, visitor_id=one)]


def _one_network(site: Site, rule: ConversionRule, now: datetime) -> list[Suspicion]:
    """Conversions of which too many came from one network."""
    rows = (
        Conversion.objects.reported()
        .filter(site=site, rule=rule, time__gte=now - LOOKED_AT)
        .exclude(visit=None)
        .exclude(visit__network="")
        .values_list("visit__network")
        .annotate(n=Count("id"))
        .order_by()
    )
    counts = dict(rows)
    network = forgery.one_source(counts)
    if network is None:
        return []
    others = sum(counts.values()) - counts[network]
    return [Suspicion("one_network", counts[network], float(others), rule, network=network)]


def _pages(site: Site, now: datetime) -> list[Suspicion]:
    """A day on which far more pages were seen for the first time than on others."""
    zone = site.zone
    today = now.astimezone(zone).date()
    since = site.midnight(today - timedelta(days=21))
    rows = (
        Page.objects.filter(site=site, first_at__gte=since)
        .annotate(day=TruncDate("first_at", tzinfo=zone))
        .values_list("day")
        .annotate(n=Count("id"))
        .order_by()
    )
    by_day = dict(rows)
    first = Page.objects.filter(site=site).order_by("first_at").values_list("first_at", flat=True).first()
    found = []
    for back in range(LOOKED_AT.days):
        day = today - timedelta(days=back)
        before = [by_day.get(day - timedelta(days=i), 0) for i in range(1, 15)]
        # On the very first days every page is new.
        if first is None or first > site.midnight(day - timedelta(days=2)):
            continue
        if forgery.too_many_pages(by_day.get(day, 0), before):
            made = Counter(
                dict(
                    NetworkDay.objects.filter(site=site, day=day, pages__gt=0).values_list("network", "pages")
                )
            )
            network = next((n for n, pages in made.most_common(1) if pages > by_day[day] / 2), "")
            found.append(
                Suspicion(
                    "pages",
                    by_day[day],
                    sum(before) / len(before),
                    network=network,
                    from_at=None if network else site.midnight(day),
                    until_at=None if network else site.midnight(day + timedelta(days=1)),
                )
            )
    return found


def _days(site: Site, the_rules: list[ConversionRule], now: datetime) -> list[Suspicion]:
    """A day with far more visits, or far more of a conversion, than such a weekday usually brings."""
    zone = site.zone
    today = now.astimezone(zone).date()
    days = [today - timedelta(days=back) for back in range(LOOKED_AT.days + PAST.days)]
    sums = TrafficDay.objects.filter(site=site).values_list("day").annotate(Sum("entries"))
    visits: dict[object, int] = dict(
        of_days(TrafficDay, site.pk, days[-1], today, "entries", lambda wanted: sums.filter(wanted))
    )
    made = (
        Conversion.objects.reported().filter(site=site).values_list("day", "rule_id").annotate(n=Count("id"))
    )
    rows = of_days(
        (Conversion, Visit),
        site.pk,
        days[-1],
        today,
        "conversions",
        lambda wanted: made.filter(wanted).order_by(),
        # What enters reports depends on its visit, which may have begun the day before.
        back=1,
    )
    counts: dict[ConversionRule | None, dict[object, int]] = {None: dict(visits)}
    counts |= {rule: {} for rule in the_rules}
    by_id = {rule.pk: rule for rule in the_rules}
    for day, rule_id, n in rows:
        if rule_id in by_id:
            counts[by_id[rule_id]][day] = n
    found = []
    for rule, by_day in counts.items():
        begun = min((d for d in days if by_day.get(d)), default=None)
        for day in days[: LOOKED_AT.days]:
            like = [day - timedelta(weeks=week) for week in range(1, 9)]
            past = [by_day.get(d, 0) for d in like if begun is not None and d > begun]
            if forgery.too_many(by_day.get(day, 0), past):
                found.append(
                    Suspicion(
                        "conversions" if rule else "visits",
                        by_day[day],
                        sum(past) / len(past),
                        rule,
                        from_at=site.midnight(day),
                        until_at=site.midnight(day + timedelta(days=1)),
                    )
                )
    return found
