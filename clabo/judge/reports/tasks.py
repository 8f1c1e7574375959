"""What reports have looked at by the worker."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.judge.reports.today.mending import to_mend
from clabo.judge.reports.today.nav_badges import store_badges
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site


@job("what there is to mend")
def mending(site_id: int) -> None:
    """Look at the whole site, and keep what the rail says of it."""
    site = Site.objects.filter(pk=site_id).first()
    if site is not None:
        store_badges(site, to_mend(site, datetime.now(UTC)))
