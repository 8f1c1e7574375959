"""The pipeline's stage for conversions."""

from __future__ import annotations

from clabo.collect.models import Kind, Page, Visit
from clabo.collect.storing import StoredBatch
from clabo.conversions.counting import count_visits, pages_met, settle
from clabo.conversions.models import ConversionRule
from clabo.core import rules


def settle_batch(batch: StoredBatch) -> None:
    """Settle the visitors that a batch may have given a conversion, or taken one from."""
    the_rules = list(ConversionRule.objects.filter(site_id=batch.site_id, deleted_at=None))
    views = [e for e in batch.events if e.kind == Kind.VIEW]
    pages = list(Page.objects.filter(pk__in={e.page_id for e in views})) if the_rules and views else []
    met = {
        page_id for rule in the_rules for page_id in pages_met(batch.site_id, rules.parse(rule.rule), pages)
    }
    concerned = {e.visitor_id for e in views if e.page_id in met} | batch.restitched
    if concerned:
        settle(batch.site_id, the_rules, concerned, afresh=batch.restitched)
    if batch.restitched:
        visits = Visit.objects.filter(site_id=batch.site_id, visitor_id__in=batch.restitched)
        count_visits(batch.site_id, list(visits.values_list("pk", flat=True)))
