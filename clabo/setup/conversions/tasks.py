"""Counting back, by the worker."""

from __future__ import annotations

import time

from django.db.models import F

from clabo.platform.jobs.job import job
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.conversions.recount import recount_rule

# A site that is worked on is free again after a batch.
PAUSE_SECONDS, PATIENCE_SECONDS = 0.05, 30.0


@job("recount")
def recount(site_id: int, rule_id: int) -> None:
    """Apply the current version of a conversion to the past. Raises TimeoutError where others never leave the site."""
    until = time.monotonic() + PATIENCE_SECONDS
    while not recount_rule(site_id, rule_id):
        if time.monotonic() > until:
            raise TimeoutError("others work on this site")
        time.sleep(PAUSE_SECONDS)


def recount_later(rule: ConversionRule) -> None:
    """Have a conversion counted back, once, however often it is changed before that begins."""
    recount.later(once=f"recount-{rule.pk}", lock=f"recount-{rule.pk}", site_id=rule.site_id, rule_id=rule.pk)


@job("recounts left", every="* * * * *")
def recounts_left() -> None:
    """Whatever happened to a job: no conversion stays uncounted."""
    for rule in ConversionRule.objects.exclude(counted_version=F("version")).only("pk", "site_id"):
        recount_later(rule)
