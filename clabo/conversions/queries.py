"""Reads of rules and conversions, and what a rule would catch."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from uuid import UUID
from zoneinfo import ZoneInfo

from django.db.models import Count, Max, Sum
from django.db.models.functions import TruncDate

from clabo.accounts.problems import missing
from clabo.collect.models import Event, Kind, Page, Standing, TrafficDay
from clabo.collect.queries import LiveHit
from clabo.conversions.counting import Candidate, pages_met
from clabo.conversions.models import Conversion, ConversionRule
from clabo.core import rules
from clabo.core.addresses import Address
from clabo.sites.models import Site


def rules_of(site: Site) -> list[ConversionRule]:
    """The rules in force, by name."""
    return list(ConversionRule.objects.filter(site=site, deleted_at=None).order_by("name"))


def rule_of(site: Site, rule_id: int) -> ConversionRule:
    """One rule of the site, removed or not; raises Problem."""
    rule = ConversionRule.objects.filter(site=site, pk=rule_id).first()
    if rule is None:
        raise missing("conversion")
    return rule


@dataclass(frozen=True, slots=True)
class RuleCounts:
    """How often a rule was met in the last 28 days, and when last."""

    recent: int
    last_at: datetime | None
    per_day: list[int]


def recent_counts(site: Site, the_rules: Sequence[ConversionRule], days: int = 28) -> dict[int, RuleCounts]:
    """Counted conversions of the last `days` days for each rule."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    start = datetime.combine(today - timedelta(days=days - 1), datetime.min.time(), site.zone)
    rows = (
        Conversion.objects.filter(
            site=site, rule__in=the_rules, time__gte=start, visit__standing=Standing.COUNTED
        )
        .annotate(day=TruncDate("time", tzinfo=site.zone))
        .values_list("rule_id", "day")
        .annotate(n=Count("id"))
    )
    by_rule: defaultdict[int, dict[date, int]] = defaultdict(dict)
    for rule_id, day, n in rows:
        by_rule[rule_id][day] = n
    last = dict(
        Conversion.objects.filter(site=site, rule__in=the_rules).values_list("rule_id").annotate(Max("time"))
    )
    return {
        r.pk: RuleCounts(
            sum(by_rule[r.pk].values()),
            last.get(r.pk),
            [by_rule[r.pk].get(today - timedelta(days=back), 0) for back in range(days - 1, -1, -1)],
        )
        for r in the_rules
    }


@dataclass(frozen=True, slots=True)
class Caught:
    """A page that a rule catches (or misses), with its views in the period."""

    page: Page
    views: int
    # Visits that began here: a thank-you page hardly ever begins one, an article often.
    entries: int


@dataclass(frozen=True, slots=True)
class Preview:
    """A rule held against what was recorded in the last `days` days, of counted visits."""

    days: int
    caught: list[Caught]
    caught_pages: int
    near: list[Caught]
    events: int
    conversions: int
    per_day: list[int]
    first_day: date


def preview(site: Site, rule: rules.Rule, counting: rules.Counting, days: int = 28) -> Preview:
    """What `rule` catches, how often, and which addresses it nearly catches."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    first = today - timedelta(days=days - 1)
    start = datetime.combine(first, datetime.min.time(), site.zone)
    pages = list(Page.objects.filter(site=site).only("id", "host", "path", "title"))
    met = set(pages_met(site.pk, rule, pages))
    near = {p.pk for p in pages if p.pk not in met and _nearly(rule, p)}
    found, per_day = _conversions(site.pk, met, counting, start, site.zone)
    stats = _page_counts(site, met | near, first)
    caught = sorted(
        (Caught(p, *stats.get(p.pk, (0, 0))) for p in pages if p.pk in met), key=lambda c: -c.views
    )
    missed = sorted(
        (Caught(p, *stats.get(p.pk, (0, 0))) for p in pages if p.pk in near), key=lambda c: -c.views
    )
    return Preview(
        days,
        caught[:100],
        len(caught),
        [m for m in missed if m.views][:20],
        found[0],
        found[1],
        [per_day[first + timedelta(days=i)] for i in range(days)],
        first,
    )


def _conversions(
    site_id: int, page_ids: Collection[int], counting: rules.Counting, start: datetime, zone: ZoneInfo
) -> tuple[tuple[int, int], Counter[date]]:
    rows = Event.objects.filter(
        site_id=site_id, page_id__in=page_ids, kind=Kind.VIEW, visit__standing=Standing.COUNTED
    )
    # "Once a visitor" looks at all of the past, as the rule itself will.
    if counting != "visitor":
        rows = rows.filter(time__gte=start)
    candidates = [
        Candidate(*r) for r in rows.order_by("time", "id").values_list("id", "time", "visitor_id", "visit_id")
    ]
    counted = [c for c in rules.count(candidates, counting) if c.time >= start]
    per_day = Counter(c.time.astimezone(zone).date() for c in counted)
    return (sum(1 for c in candidates if c.time >= start), len(counted)), per_day


def _page_counts(site: Site, page_ids: Collection[int], first: date) -> dict[int, tuple[int, int]]:
    rows = TrafficDay.objects.filter(site=site, page_id__in=page_ids, day__gte=first).values_list("page_id")
    return {
        page_id: (views, entries) for page_id, views, entries in rows.annotate(Sum("views"), Sum("entries"))
    }


def _nearly(rule: rules.Rule, page: Page) -> bool:
    """Missed, but alike: the same words in the address, or the same beginning."""
    if rule.match == "pattern":
        return False
    wanted = rule.value.rstrip("/").rpartition("/")[2].lower() or rule.value.lower()
    return len(wanted) >= 4 and wanted in page.path.lower()


@dataclass(frozen=True, slots=True)
class RuleMet:
    """A rule that a hit meets. `counted`: it is a conversion, not merely a repetition."""

    name: str
    counted: bool


def rules_met(site: Site, hits: Sequence[LiveHit]) -> dict[UUID, list[RuleMet]]:
    """Which rules in force each hit meets, and whether it counted."""
    parsed = [(r, rules.parse(r.rule)) for r in rules_of(site)]
    views = [h for h in hits if h.kind == Kind.VIEW]
    if not views or not parsed:
        return {}
    counted = set(
        Conversion.objects.filter(site=site, event_id__in=[h.id for h in views]).values_list(
            "rule_id", "event_id"
        )
    )
    met: dict[UUID, list[RuleMet]] = {}
    for hit in views:
        for rule, language in parsed:
            if language.fits(Address(hit.host, hit.path)):
                met.setdefault(hit.id, []).append(RuleMet(rule.name, (rule.pk, hit.id) in counted))
    return met
