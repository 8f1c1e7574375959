"""Alerts: who is told, when and of what, and what was sent."""

from __future__ import annotations

from datetime import UTC, datetime

from django.http import HttpRequest
from ninja import Router

from clabo.judge.alerts import services
from clabo.judge.alerts.schemas import (
    AlertMessageOut,
    AlertRecipientIn,
    AlertRecipientOut,
    AlertsOut,
    AlertTimesIn,
    alerts_out,
    message_out,
    recipient_out,
)
from clabo.platform.accounts.access import person
from clabo.platform.accounts.models import Role
from clabo.setup.sites.access import site_for

router = Router(tags=["alerts"])
HERE = "/sites/{int:site_id}/alerts"
ONE = HERE + "/{int:recipient_id}"


@router.get(HERE, response=AlertsOut)
def alerts(request: HttpRequest, site_id: int) -> AlertsOut:
    # Whom a site tells, and with which key, is nothing for whoever only looks.
    return alerts_out(site_for(request, site_id, Role.EDITOR), True)


@router.post(HERE, response=AlertRecipientOut)
def add_recipient(request: HttpRequest, site_id: int, data: AlertRecipientIn) -> AlertRecipientOut:
    site = site_for(request, site_id, Role.EDITOR)
    made = services.save_recipient(site, data.by, data.to, data.when, data.kinds, person(request))
    return recipient_out(made, True)


@router.put(ONE, response={204: None})
def change_recipient(
    request: HttpRequest, site_id: int, recipient_id: int, data: AlertTimesIn
) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    services.change_recipient(services.recipient_of(site, recipient_id), data.when, data.kinds)
    return 204, None


@router.post(ONE + "/test", response=AlertMessageOut)
def try_recipient(request: HttpRequest, site_id: int, recipient_id: int) -> AlertMessageOut:
    site = site_for(request, site_id, Role.EDITOR)
    return message_out(services.try_out(services.recipient_of(site, recipient_id)))


@router.delete(ONE, response={204: None})
def delete_recipient(request: HttpRequest, site_id: int, recipient_id: int) -> tuple[int, None]:
    site = site_for(request, site_id, Role.EDITOR)
    services.delete(services.recipient_of(site, recipient_id), datetime.now(UTC))
    return 204, None
