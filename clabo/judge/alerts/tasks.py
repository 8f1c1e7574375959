"""Alerts by the clock."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.judge.alerts.models import AlertRecipient
from clabo.judge.alerts.services import look, resend
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site


@job("alerts", every="* * * * *", queue="outside")
def alerts() -> None:
    """See what is wrong where somebody wants to be told, and tell it."""
    sites = Site.objects.filter(pk__in=AlertRecipient.objects.values("site_id").distinct())
    for_each(list(sites), look, "alerts of a site")
    resend(datetime.now(UTC))
