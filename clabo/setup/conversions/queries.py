"""Reads of rules and conversions, and what a rule would catch."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import UUID

from django.db.models import Count, Max, Sum

from clabo.collect.events.models import Event
from clabo.core import rules
from clabo.core.pages.addresses import AS_WRITTEN
from clabo.core.rules.conditions.outcome import OutcomeReached
from clabo.platform.problems import missing
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.matching.selecting import events_met
from clabo.setup.conversions.models import Conversion, ConversionRule, Recount, RuleVersion
from clabo.setup.sites.models import Site


def rules_of(site: Site) -> list[ConversionRule]:
    """The rules in force, by name."""
    return list(ConversionRule.objects.filter(site=site, deleted_at=None).order_by("name"))


def rule_of(site: Site, rule_id: int) -> ConversionRule:
    """One rule of the site, removed or not; raises Problem."""
    rule = ConversionRule.objects.filter(site=site, pk=rule_id).first()
    if rule is None:
        raise missing("conversion")
    return rule


def rests_on_outcomes(rule: Mapping[str, Any]) -> bool:
    """Whether a rule counts what is told of later, and not what visitors do on pages."""
    leaves = [leaf for leaf in rules.leaves(rules.parse(rule, AS_WRITTEN)) if leaf.trigger]
    return any(isinstance(leaf, OutcomeReached) for leaf in leaves)


@dataclass(frozen=True, slots=True)
class RuleCounts:
    """How often a rule was met in the last 28 days, and when last."""

    recent: int
    last_at: datetime | None
    per_day: list[int]
    foreign: int
    # Their value lies beyond what a day may bring without a proof, and how much it is together.
    beyond: int
    beyond_value: Decimal
    # Events that met the rule and were left aside for want of a proof, where it asks for one.
    unproven: int


def recent_counts(site: Site, the_rules: Sequence[ConversionRule], days: int = 28) -> dict[int, RuleCounts]:
    """Counted conversions of the last `days` days for each rule."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    counted = Conversion.objects.reported().filter(site=site, rule__in=the_rules)
    recent = counted.filter(time__gte=site.last_days(days))
    rows = recent.values_list("rule_id", "day").annotate(n=Count("id"))
    by_rule: defaultdict[int, dict[date, int]] = defaultdict(dict)
    for rule_id, day, n in rows:
        by_rule[rule_id][day] = n
    foreign = dict(recent.exclude(currency="").values_list("rule_id").annotate(n=Count("id")))
    over = {
        rule_id: (n, value)
        for rule_id, n, value in recent.filter(beyond=True)
        .values_list("rule_id")
        .annotate(n=Count("id"), sum=Sum("value"))
    }
    last = dict(counted.values_list("rule_id").annotate(Max("time")))
    return {
        r.pk: RuleCounts(
            sum(by_rule[r.pk].values()),
            last.get(r.pk),
            [by_rule[r.pk].get(today - timedelta(days=back), 0) for back in range(days - 1, -1, -1)],
            foreign.get(r.pk, 0),
            *over.get(r.pk, (0, Decimal(0))),
            _unproven(site, r, days) if r.proven_only else 0,
        )
        for r in the_rules
    }


def _unproven(site: Site, rule: ConversionRule, days: int) -> int:
    met = events_met(site.pk, rules.parse(rule.rule, site.page_reading)).reported()
    return met.filter(proven=False, time__gte=site.last_days(days)).count()


def changes_since(the_rules: Sequence[ConversionRule], since: datetime) -> dict[int, list[RuleVersion]]:
    """The versions made since then, other than the first, oldest first."""
    found: dict[int, list[RuleVersion]] = {r.pk: [] for r in the_rules}
    rows = RuleVersion.objects.filter(rule__in=the_rules, version__gt=1, made_at__gte=since)
    for version in rows.select_related("rule").order_by("version"):
        found[version.rule_id].append(version)
    return found


def recount_progress(the_rules: Sequence[ConversionRule]) -> dict[int, float]:
    """How much of each recount under way is done, 0 to 1."""
    rows = Recount.objects.filter(rule_id__in=[r.pk for r in the_rules])
    return {r.rule_id: r.done / r.total if r.total else 0.0 for r in rows}


@dataclass(frozen=True, slots=True)
class RuleMet:
    """A rule that a hit meets. `counted`: it is a conversion, not merely a repetition."""

    id: int
    name: str
    counted: bool


def rules_met(site: Site, hits: Sequence[Event]) -> dict[UUID, list[RuleMet]]:
    """Which rules in force each hit meets, and whether it counted. Pages and elements must be loaded."""
    parsed = [(r, rules.parse(r.rule, site.page_reading)) for r in rules_of(site)]
    if not hits or not parsed:
        return {}
    counted = set(
        Conversion.objects.filter(site=site, event_id__in=[h.id for h in hits]).values_list(
            "rule_id", "event_id"
        )
    )
    met: dict[UUID, list[RuleMet]] = {}
    for hit in hits:
        seen = occurrence(hit, hit.page, hit.element)
        found = [
            RuleMet(r.pk, r.name, (r.pk, hit.id) in counted) for r, rule in parsed if rules.meets(rule, seen)
        ]
        if found:
            met[hit.id] = found
    return met


def checks_of(rule: ConversionRule, hit: Event) -> list[rules.Check]:
    """Each condition of a rule held against one hit, with the reason why not."""
    return rules.checks(
        rules.parse(rule.rule, rule.site.page_reading), occurrence(hit, hit.page, hit.element)
    )
