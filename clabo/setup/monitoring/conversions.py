"""Has a conversion stopped coming? Judged, like a page's tag, against its own week."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta

from django.db.models import Count, Max, Min

from clabo.collect.events.models import TrafficClass, Visit
from clabo.core.pages.silence import beside, silence
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.queries import recount_progress, rests_on_outcomes, rules_of
from clabo.setup.monitoring.seasonality import WEEKS, by_hour, days_before, rhythm_before
from clabo.setup.monitoring.uptime import Span, absences
from clabo.setup.sites.models import Site

LOOKED_AT_AFTER = timedelta(minutes=30)


@dataclass(frozen=True, slots=True)
class QuietRule:
    """A rule that is met no more, when it last was, and how often a day it used to be."""

    rule: ConversionRule
    last_at: datetime
    per_day: float


def quiet_rules(site: Site, now: datetime) -> list[QuietRule]:
    """Rules whose silence is too long for chance, the longest expected first; none while one is being recounted.

    They are judged by the eight weeks before, of conversions that count.
    """
    # Outcomes come when somebody brings them in, and not when visitors do.
    the_rules = {r.pk: r for r in rules_of(site) if not rests_on_outcomes(r.rule)}
    for busy in recount_progress(list(the_rules.values())):
        del the_rules[busy]
    since = now - timedelta(weeks=WEEKS)
    counted = Conversion.objects.reported().filter(site=site)
    # The weeks are read only for what has been silent for a while.
    watched = len(the_rules)
    for heard in counted.filter(time__gte=now - LOOKED_AT_AFTER).values_list("rule_id", flat=True).distinct():
        the_rules.pop(heard, None)
    spans = counted.filter(rule__in=the_rules, time__gte=since).values_list("rule_id")
    heard_at = {rule: span for rule, *span in spans.annotate(Min("time"), Max("time")).order_by()}
    days = days_before(now + timedelta(days=1), since, site.zone)
    cells = by_hour(counted.filter(rule__in=heard_at), "rule_id", Count("id"), site.zone, days)
    absent = absences(since, now)
    found: list[tuple[float, QuietRule]] = []
    for rule_id, (first_at, last_at) in heard_at.items():
        rule = the_rules[rule_id]
        rhythm = (
            rhythm_before(cells[rule_id], days, last_at, first_at, site.zone) if rule_id in cells else None
        )
        if rhythm is None:
            continue
        here = (last_at.astimezone(site.zone), now.astimezone(site.zone))
        if not silence(rhythm, *here, watched, absent).stopped:
            continue
        quiet = silence(rhythm, *here, watched, absent, _busy(site, *here, absent, days))
        if quiet.stopped:
            found.append((quiet.expected, QuietRule(rule, last_at, rhythm.per_day)))
    return [q for _, q in sorted(found, key=lambda f: -f[0])]


def _busy(site: Site, last: datetime, now: datetime, absent: list[Span], days: list[date]) -> float:
    """The part of the usual visits that has come meanwhile: without visits nothing converts."""
    visits = Visit.objects.filter(site=site, traffic_class=TrafficClass.COUNTED, views__gt=0)
    cells = by_hour(visits, None, Count("id"), site.zone, days, "started_at").get(None)
    rhythm = (
        None if cells is None else rhythm_before(cells, days, last, now - timedelta(weeks=WEEKS), site.zone)
    )
    if rhythm is None:
        return 1.0
    seen = visits.filter(started_at__gt=last, started_at__lte=now).count()
    return beside(seen, sum(rhythm.expected(last, now, absent).values()))
