"""Reads of outcomes: how many reached which stage, and what is of nothing yet."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db.models import Count, Max

from clabo.core import rules
from clabo.core.outcomes.stages import Stage
from clabo.core.rules.conditions.outcome import OutcomeReached
from clabo.platform.problems import missing
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.queries import rules_of
from clabo.setup.sites.models import Site
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.stages import stages_of

WAITING_SHOWN = 200


@dataclass(frozen=True, slots=True)
class StageCount:
    """A stage: how many outcomes were told, of how many the conversion is known, how many have an amount, when last, and the rule that counts it."""

    stage: Stage
    told: int
    matched: int
    with_value: int
    last_at: datetime | None
    rule: ConversionRule | None


def stage_counts(site: Site) -> list[StageCount]:
    """All stages in their order."""
    told = Outcome.objects.filter(site=site, current=True, withdrawn=False).values_list("stage")
    rows = told.annotate(Count("id"), Count("subject"), Count("value"), Max("at"))
    counted = {stage: counts for stage, *counts in rows}
    counting = {
        rule.stage: row
        for row in reversed(rules_of(site))
        if isinstance(rule := rules.parse(row.rule, site.page_reading), OutcomeReached) and rule.stage
    }
    found = []
    for stage in stages_of(site):
        number, matched, with_value, last = counted.get(stage.key, (0, 0, 0, None))
        found.append(StageCount(stage, number, matched, with_value, last, counting.get(stage.key)))
    return found


def waiting(site: Site) -> tuple[list[Outcome], int]:
    """Outcomes that are of nothing yet, the last told first, and how many there are."""
    rows = Outcome.objects.filter(site=site, current=True, withdrawn=False, subject=None)
    return list(rows.select_related("batch").order_by("-id")[:WAITING_SHOWN]), rows.count()


def imports_of(site: Site) -> list[OutcomeImport]:
    """Files that were taken in, newest first."""
    rows = OutcomeImport.objects.filter(site=site).exclude(state=OutcomeImport.State.UPLOADED)
    return list(rows.select_related("made_by").order_by("-id")[:100])


def import_of(site: Site, import_id: int) -> OutcomeImport:
    """One import of the site; raises Problem."""
    found = OutcomeImport.objects.filter(site=site, pk=import_id).first()
    if found is None:
        raise missing("import")
    return found
