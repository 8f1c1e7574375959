"""Applying a changed rule to what was recorded before."""

from __future__ import annotations

from django.db import transaction
from django.db.models import F

from clabo.collect.pipeline import lock_site
from clabo.conversions.counting import settle
from clabo.conversions.models import ConversionRule


def recount_next() -> bool:
    """Recount one rule whose current version has not been applied to the past; whether there was one.

    Old and new change places in one transaction: reports show the one or the other, never a part.
    """
    waiting = ConversionRule.objects.exclude(counted_version=F("version")).order_by("pk").first()
    if waiting is None:
        return False
    with transaction.atomic():
        lock_site(waiting.site_id)
        rule = ConversionRule.objects.select_for_update().get(pk=waiting.pk)
        settle(rule.site_id, [rule])
        rule.counted_version = rule.version
        rule.save(update_fields=["counted_version"])
    return True
