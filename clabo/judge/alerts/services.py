"""Noting what is wrong, and telling those who asked for it: once, until it has been gone and comes again."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import validate_email
from django.db import transaction
from django.db.models import QuerySet

from clabo.judge.alerts import webhook
from clabo.judge.alerts.causes import KINDS, Cause, causes
from clabo.judge.alerts.models import Alert, AlertMessage, AlertRecipient
from clabo.platform.accounts.models import User
from clabo.platform.jobs.tasks import mail
from clabo.platform.problems import Problem, missing
from clabo.platform.wording.alerts import letter, subject
from clabo.setup.sites.models import Site

MOST_RECIPIENTS = 20
MOST_IN_LOG = 50
# What was seen last so long ago is over.
GONE = timedelta(minutes=30)
# In the site's morning.
FROM_HOUR = 7
# Pauses between tries of a webhook; after the last it has failed.
PAUSES = tuple(timedelta(seconds=s) for s in (15, 60, 300, 1200, 3600, 4 * 3600, 12 * 3600))

# Longer than a try takes.
TRYING = timedelta(minutes=2)

By = AlertRecipient.By
When = AlertRecipient.When
State = AlertMessage.State


def recipient_of(site: Site, recipient_id: int) -> AlertRecipient:
    """One recipient of the site; raises Problem."""
    found = AlertRecipient.objects.filter(site=site, pk=recipient_id).first()
    if found is None:
        raise missing("recipient")
    return found


def save_recipient(
    site: Site, by: str, to: str, when: str, kinds: Collection[str], user: User | None
) -> AlertRecipient:
    """Have somebody told from now on; raises Problem. What stands already is told too."""
    to = to.strip()
    if by == By.MAIL:
        to = to.lower()
        try:
            validate_email(to)
        except ValidationError:
            raise Problem("This is not an e-mail address. It looks like name@host.example.", "to") from None
    else:
        to = webhook.checked(to)
    if len(to) > 500:
        raise Problem("An address has at most 500 characters.", "to")
    if not kinds or not set(kinds) <= set(KINDS):
        raise Problem(f"Choose at least one of {', '.join(KINDS)}.", "kinds")
    known = AlertRecipient.objects.filter(site=site)
    if known.filter(by=by, to=to).exists():
        raise Problem("This address is told already. Change what it is told, or delete it first.", "to", 409)
    if known.count() >= MOST_RECIPIENTS:
        raise Problem(f"There are {MOST_RECIPIENTS} recipients. Delete one first.", "to", 409)
    return AlertRecipient.objects.create(
        site=site, by=by, to=to, when=when, kinds=[k for k in KINDS if k in kinds], made_by=user
    )


def change_recipient(recipient: AlertRecipient, when: str, kinds: Collection[str]) -> None:
    """Change when and of what somebody is told; raises Problem."""
    if not kinds or not set(kinds) <= set(KINDS):
        raise Problem(f"Choose at least one of {', '.join(KINDS)}.", "kinds")
    recipient.when, recipient.kinds = when, [k for k in KINDS if k in kinds]
    recipient.save(update_fields=["when", "kinds"])


def note(site: Site, found: Sequence[Cause], now: datetime) -> None:
    """Keep what is so now; what has not been so for a while is over."""
    with transaction.atomic():
        standing = {(a.kind, a.key): a for a in Alert.objects.filter(site=site, ended_at=None)}
        for cause in found:
            alert = standing.pop((cause.kind, cause.key), None)
            if alert is None:
                Alert.objects.create(
                    site=site,
                    kind=cause.kind,
                    key=cause.key,
                    says=cause.says,
                    place=cause.place,
                    began_at=now,
                    seen_at=now,
                )
            else:
                alert.seen_at, alert.says, alert.place = now, cause.says, cause.place
                alert.save(update_fields=["seen_at", "says", "place"])
        for alert in standing.values():
            if now - alert.seen_at > GONE:
                alert.ended_at = now
                alert.save(update_fields=["ended_at"])


def look(site: Site, now: datetime | None = None) -> None:
    """See what is wrong on a site, and tell whoever is to be told of it now."""
    now = now or datetime.now(UTC)
    note(site, causes(site, now), now)
    for recipient in AlertRecipient.objects.filter(site=site):
        if is_due(recipient, now):
            tell(recipient, now)


def is_due(recipient: AlertRecipient, now: datetime) -> bool:
    """Whether this is a time at which somebody is told."""
    told = recipient.told_at
    if recipient.when == When.AT_ONCE or (told is None and recipient.when == When.HOURLY):
        return True
    if recipient.when == When.HOURLY:
        return told is None or now - told >= timedelta(hours=1)
    here = now.astimezone(recipient.site.zone)
    return here.hour >= FROM_HOUR and (
        told is None or told.astimezone(recipient.site.zone).date() < here.date()
    )


def untold(recipient: AlertRecipient) -> QuerySet[Alert]:
    """What stands and somebody has not been told of."""
    standing = Alert.objects.filter(site=recipient.site_id, ended_at=None, kind__in=recipient.kinds)
    return standing.exclude(messages__recipient=recipient).order_by("began_at", "id")


def tell(recipient: AlertRecipient, now: datetime) -> AlertMessage | None:
    """Put what somebody has not been told of into one message; None where there is nothing. Webhooks wait for `deliver`."""
    with transaction.atomic():
        # One at a time: whoever comes second finds nothing left to tell.
        AlertRecipient.objects.select_for_update().get(pk=recipient.pk)
        alerts = list(untold(recipient))
        if not alerts:
            return None
        message = AlertMessage.objects.create(recipient=recipient, made_at=now, next_at=now)
        message.alerts.set(alerts)
        AlertRecipient.objects.filter(pk=recipient.pk).update(told_at=now)
        if recipient.by == By.MAIL:
            _by_mail(message, alerts, now)
    return message


def try_out(recipient: AlertRecipient, now: datetime | None = None) -> AlertMessage:
    """Send a message that says that it is a trial."""
    now = now or datetime.now(UTC)
    message = AlertMessage.objects.create(recipient=recipient, made_at=now, is_test=True)
    if recipient.by == By.MAIL:
        _by_mail(message, [], now)
    else:
        send(message, now, last=True)
    return message


def _by_mail(message: AlertMessage, alerts: Sequence[Alert], now: datetime) -> None:
    site, recipient = message.recipient.site, message.recipient
    base = f"{settings.PUBLIC_URL}/s/{site.pk}"
    lines = [(a.says, f"{base}/{a.place}") for a in alerts]
    mail.later(
        workspace_id=site.workspace_id,
        subject=subject(site.name, [a.says for a in alerts]),
        body=letter(lines, recipient.to, str(recipient.made_by or ""), f"{base}/alerts"),
        to=recipient.to,
    )
    message.state, message.sent_at, message.tries = State.SENT, now, 1
    message.save(update_fields=["state", "sent_at", "tries"])


def send(message: AlertMessage, now: datetime, last: bool = False) -> None:
    """Try a webhook's message once. It is tried again with growing pauses, unless this try is the `last`."""
    recipient = message.recipient
    message.tries += 1
    try:
        webhook.send(recipient.to, recipient.secret, str(message.key), told(message))
    except webhook.NotTaken as error:
        message.failure = error.why[:300]
        if last or message.tries > len(PAUSES):
            message.state = State.FAILED
        else:
            message.next_at = now + PAUSES[message.tries - 1]
    else:
        message.state, message.sent_at, message.failure = State.SENT, now, ""
    message.save(update_fields=["state", "tries", "next_at", "sent_at", "failure"])


def told(message: AlertMessage) -> dict[str, Any]:
    """What a webhook is sent (docs/data-formats.md)."""
    site = message.recipient.site
    base = f"{settings.PUBLIC_URL}/s/{site.pk}"
    return {
        "id": str(message.key),
        "test": message.is_test,
        "site": {"id": site.pk, "name": site.name},
        "alerts": [
            {
                "kind": a.kind,
                "key": a.key,
                "says": a.says,
                "since": a.began_at.isoformat(),
                "link": f"{base}/{a.place}",
            }
            for a in message.alerts.order_by("began_at", "id")
        ],
    }


def due(now: datetime) -> list[tuple[int, int]]:
    """Messages to webhooks that wait and are to be tried now, each with its site, the longest due first."""
    waiting = AlertMessage.objects.filter(
        state=State.WAITING, next_at__lte=now, recipient__deleted_at=None, recipient__by=By.WEBHOOK
    )
    return list(waiting.order_by("next_at").values_list("recipient__site_id", "id"))


def deliver(message_id: int, now: datetime | None = None) -> None:
    """Try one message that is due, unless another does."""
    now = now or datetime.now(UTC)
    waiting = AlertMessage.objects.filter(pk=message_id, state=State.WAITING, next_at__lte=now)
    # Whoever moves its time tries it; should that one die, it is tried again then.
    if waiting.update(next_at=now + TRYING):
        send(AlertMessage.objects.select_related("recipient__site").get(pk=message_id), now)


def delete(recipient: AlertRecipient, now: datetime) -> None:
    """Tell somebody nothing more; it can be restored."""
    recipient.deleted_at = now
    recipient.save(update_fields=["deleted_at"])
