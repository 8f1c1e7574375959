"""Outcomes by the clock."""

from __future__ import annotations

from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.services import settle, settle_waiting
from clabo.use.outcomes.uploads import remove_old


@job("outcomes of a file")
def settle_file(site_id: int, import_id: int) -> None:
    """Make events of what a large file has told, or of what holds again since it was undone."""
    told = Outcome.objects.filter(site=site_id, batch=import_id)
    settle(Site.objects.get(pk=site_id), list(told.order_by("id").values_list("key", flat=True)))


@job("outcomes that wait for their conversion", every="17 * * * *")
def outcomes_by_the_hour() -> None:
    """Try again what is of nothing yet, and remove files that were only looked at."""
    waiting = Outcome.objects.filter(current=True, withdrawn=False, subject=None)
    sites = Site.objects.filter(pk__in=waiting.values("site_id").distinct())
    for_each(list(sites), settle_waiting, "outcomes that wait")
    looked_at = OutcomeImport.objects.filter(state=OutcomeImport.State.UPLOADED)
    for_each(list(Site.objects.filter(pk__in=looked_at.values("site_id"))), remove_old, "outcome files")
