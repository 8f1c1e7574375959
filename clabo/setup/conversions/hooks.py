"""The pipeline's hook for conversions."""

from __future__ import annotations

from collections.abc import Hashable

from clabo.collect.events.intake.parsing import ParsedEvent
from clabo.collect.events.intake.wanted import Wanted
from clabo.collect.events.models import KIND_NAMES, Kind, Visit
from clabo.collect.events.storage.stitching import NewEvent
from clabo.collect.events.storage.storing import StoredBatch
from clabo.core import rules
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.reconcile import count_visits, reconcile
from clabo.setup.sites.models import Site


def reconcile_batch(batch: StoredBatch) -> None:
    """Reconcile the visitors that a batch may have given a conversion, or taken one from."""
    the_rules = list(ConversionRule.objects.filter(site_id=batch.site_id, deleted_at=None))
    concerned = _concerned(batch, [rules.parse(r.rule, batch.reading.pages) for r in the_rules]) | set(
        batch.restitched
    )
    if concerned and the_rules:
        reconcile(batch.site_id, the_rules, concerned, afresh=batch.restitched)
    if batch.restitched:
        visits = Visit.objects.filter(
            in_array("visitor_id", batch.restitched),
            site_id=batch.site_id,
            ended_at__gte=min(batch.restitched.values()),
        ).values_list("pk", "visitor_id", "ended_at")
        count_visits(batch.site_id, [pk for pk, who, ended in visits if ended >= batch.restitched[who]])


def _concerned(batch: StoredBatch, the_rules: list[rules.Rule]) -> set[int]:
    """The visitors of new events that meet a rule. Events that no rule can tell apart are decided once."""
    decided: dict[Hashable, bool] = {}
    looked_at = {fact.part for rule in the_rules for leaf in rules.leaves(rule) for fact in leaf.facts}
    found: set[int] = set()
    if not the_rules:
        return found
    for event in batch.events:
        if event.visitor_id in found:
            continue
        key = (
            event.kind,
            event.page_id,
            event.element_id,
            event.name,
            event.query if "query" in looked_at else "",
            event.views if "views" in looked_at else 1,
        )
        if event.kind in (Kind.MARK, Kind.STAY, Kind.SCROLL):
            met = _met(batch, event, the_rules)
        elif key in decided:
            met = decided[key]
        else:
            met = decided[key] = _met(batch, event, the_rules)
        if met:
            found.add(event.visitor_id)
    return found


def _met(batch: StoredBatch, event: NewEvent, the_rules: list[rules.Rule]) -> bool:
    element = batch.elements[event.element_id] if event.element_id else None
    seen = occurrence(event, batch.pages[event.page_id], element)
    return any(rules.meets(rule, seen) for rule in the_rules)


def wanted_by_rules(site_id: int, wanted: Wanted) -> None:
    """Whatever meets a rule of the site."""
    site = Site.objects.get(pk=site_id)
    rows = ConversionRule.objects.filter(site=site, deleted_at=None)
    the_rules = [rules.parse(row.rule, site.page_reading) for row in rows]

    def meets(parsed: ParsedEvent) -> bool:
        seen = rules.Occurrence(
            KIND_NAMES[parsed.kind],  # type: ignore[arg-type]
            parsed.page,
            parsed.query,
            parsed.element or {},
            parsed.name,
            parsed.properties or {},
        )
        return any(rules.meets(rule, seen) for rule in the_rules)

    wanted.meets.append(meets)
