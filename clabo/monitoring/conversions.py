"""Has a conversion stopped coming? Judged, like a page's tag, against its own week."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from clabo.conversions.models import Conversion, ConversionRule
from clabo.conversions.queries import recount_progress, rules_of
from clabo.core.seasonality import silence
from clabo.monitoring.seasonality import WEEKS, seasonality_by
from clabo.monitoring.uptime import absences
from clabo.sites.models import Site

LOOKED_AT_AFTER = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class QuietRule:
    """A rule that is met no more, when it last was, and how often a day it used to be."""

    rule: ConversionRule
    last_at: datetime
    per_day: float


def quiet_rules(site: Site, now: datetime) -> list[QuietRule]:
    """Rules whose silence is too long for chance, the longest expected first; none while one is being recounted.

    The seasonality is that of the eight weeks before, of conversions that count.
    """
    the_rules = {r.pk: r for r in rules_of(site)}
    for busy in recount_progress(list(the_rules.values())):
        del the_rules[busy]
    since = now - timedelta(weeks=WEEKS)
    counted = Conversion.objects.reported().filter(site=site)
    # The weeks are read only for what has been silent for a while.
    watched = len(the_rules)
    for heard in counted.filter(time__gte=now - LOOKED_AT_AFTER).values_list("rule_id", flat=True).distinct():
        the_rules.pop(heard, None)
    seasonality = seasonality_by(counted.filter(rule__in=the_rules, time__gte=since), "rule_id", site.zone)
    absent = absences(since, now)
    found: list[tuple[float, QuietRule]] = []
    for rule_id, own in seasonality.items():
        weeks = own.weeks()
        here = (own.last.astimezone(site.zone), now.astimezone(site.zone))
        quiet = silence(own.by_hour, weeks, *here, watched, absent)
        if quiet.stopped:
            per_day = sum(own.by_hour) / (weeks * 7)
            found.append((quiet.expected, QuietRule(the_rules[rule_id], own.last, per_day)))
    return [q for _, q in sorted(found, key=lambda f: -f[0])]
