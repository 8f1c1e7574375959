"""Has a conversion stopped coming? Judged, like a page's tag, against its own week."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db.models import Count, Max, Min
from django.db.models.functions import ExtractHour, ExtractIsoWeekDay

from clabo.collect.attendance import absences
from clabo.collect.models import Standing
from clabo.conversions.models import Conversion, ConversionRule
from clabo.conversions.queries import recount_progress, rules_of
from clabo.core.rhythm import HOURS, silence
from clabo.sites.models import Site

WEEKS = 8
LOOKED_AT_AFTER = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class QuietRule:
    """A rule that is met no more, when it last was, and how often a day it used to be."""

    rule: ConversionRule
    last_at: datetime
    per_day: float


def quiet_rules(site: Site, now: datetime) -> list[QuietRule]:
    """Rules whose silence is too long for chance, the longest expected first; none while one is being recounted.

    The rhythm is that of the eight weeks before, of conversions that count.
    """
    the_rules = {r.pk: r for r in rules_of(site)}
    for busy in recount_progress(list(the_rules.values())):
        del the_rules[busy]
    since = now - timedelta(weeks=WEEKS)
    counted = Conversion.objects.filter(site=site, visit__standing=Standing.COUNTED)
    # The weeks are read only for what has been silent for a while.
    watched = len(the_rules)
    for heard in counted.filter(time__gte=now - LOOKED_AT_AFTER).values_list("rule_id", flat=True).distinct():
        the_rules.pop(heard, None)
    rows = (
        counted.filter(rule__in=the_rules, time__gte=since)
        .annotate(day=ExtractIsoWeekDay("time", tzinfo=site.zone), hour=ExtractHour("time", tzinfo=site.zone))
        .values_list("rule_id", "day", "hour")
        .annotate(n=Count("id"), first=Min("time"), last=Max("time"))
    )
    counts: defaultdict[int, list[float]] = defaultdict(lambda: [0.0] * HOURS)
    spans: dict[int, tuple[datetime, datetime]] = {}
    for rule_id, day, hour, n, first, last in rows:
        counts[rule_id][(day - 1) * 24 + hour] += n
        known = spans.get(rule_id, (first, last))
        spans[rule_id] = (min(first, known[0]), max(last, known[1]))
    absent = absences(since, now)
    found: list[tuple[float, QuietRule]] = []
    for rule_id, by_hour in counts.items():
        first, last = spans[rule_id]
        weeks = max((last - first) / timedelta(weeks=1), 1.0)
        quiet = silence(
            by_hour, weeks, last.astimezone(site.zone), now.astimezone(site.zone), watched, absent
        )
        if quiet.stopped:
            found.append((quiet.expected, QuietRule(the_rules[rule_id], last, sum(by_hour) / (weeks * 7))))
    return [q for _, q in sorted(found, key=lambda f: -f[0])]
