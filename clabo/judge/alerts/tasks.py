"""Alerts by the clock."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.judge.alerts import services
from clabo.judge.alerts.models import AlertRecipient
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site


@job("alert to a webhook", queue="outside")
def alert_to_webhook(site_id: int, message_id: int) -> None:
    """Try one message. One that is not taken waits for its next time."""
    services.deliver(message_id)


@job("alerts", every="* * * * *", queue="outside")
def alerts() -> None:
    """See what is wrong where somebody wants to be told, and tell it."""
    sites = Site.objects.filter(pk__in=AlertRecipient.objects.values("site_id").distinct())
    for_each(list(sites), services.look, "alerts of a site")
    # One at a time of a site: receivers that are slow hold up nobody else's.
    for site_id, message_id in services.due(datetime.now(UTC)):
        alert_to_webhook.later(
            once=f"alert-{message_id}", lock=f"alerts-{site_id}", site_id=site_id, message_id=message_id
        )
