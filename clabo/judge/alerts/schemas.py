"""The shapes of alerts in the API, and how they are filled."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from pydantic import StringConstraints

from clabo.judge.alerts.causes import KINDS, Kind
from clabo.judge.alerts.models import AlertMessage, AlertRecipient
from clabo.judge.alerts.services import MOST_IN_LOG
from clabo.platform.shapes import Shape
from clabo.setup.sites.models import Site

WhenTold = Literal["at_once", "hourly", "morning"]
ToldBy = Literal["mail", "webhook"]


class AlertTimesIn(Shape):
    when: WhenTold
    kinds: list[Kind]


class AlertRecipientIn(AlertTimesIn):
    by: ToldBy
    to: Annotated[str, StringConstraints(max_length=500)]


class AlertRecipientOut(Shape):
    """Somebody who is told. The secret that a webhook's messages are signed with is answered to editors only."""

    id: int
    by: ToldBy
    to: str
    when: WhenTold
    kinds: list[Kind]
    made_by: str
    told_at: datetime | None
    secret: str | None


class AlertMessageOut(Shape):
    made_at: datetime
    to: str
    test: bool
    says: list[str]
    state: Literal["waiting", "sent", "failed"]
    tries: int
    next_at: datetime | None
    failure: str


class AlertsOut(Shape):
    recipients: list[AlertRecipientOut]
    kinds: list[Kind]
    # The last 50.
    log: list[AlertMessageOut]


def recipient_out(r: AlertRecipient, with_secret: bool) -> AlertRecipientOut:
    return AlertRecipientOut(
        id=r.pk,
        by=r.by,  # type: ignore[arg-type]
        to=r.to,
        when=r.when,  # type: ignore[arg-type]
        kinds=r.kinds,  # type: ignore[arg-type]
        made_by=str(r.made_by or ""),
        told_at=r.told_at,
        secret=r.secret if with_secret and r.by == AlertRecipient.By.WEBHOOK else None,
    )


def message_out(m: AlertMessage) -> AlertMessageOut:
    return AlertMessageOut(
        made_at=m.made_at,
        to=m.recipient.to,
        test=m.is_test,
        says=[a.says for a in m.alerts.all()],
        state=m.state,  # type: ignore[arg-type]
        tries=m.tries,
        next_at=m.next_at if m.state == AlertMessage.State.WAITING else None,
        failure=m.failure,
    )


def alerts_out(site: Site, with_secrets: bool) -> AlertsOut:
    recipients = AlertRecipient.objects.filter(site=site).select_related("made_by").order_by("to")
    log = AlertMessage.objects.filter(recipient__site=site).select_related("recipient")
    return AlertsOut(
        recipients=[recipient_out(r, with_secrets) for r in recipients],
        kinds=list(KINDS),
        log=[message_out(m) for m in log.prefetch_related("alerts").order_by("-id")[:MOST_IN_LOG]],
    )
