"""Who is told of what is wrong, what is wrong, and what was sent."""

from __future__ import annotations

import secrets
import uuid

from django.contrib.postgres.fields import ArrayField
from django.db import models

from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.sites.models import Site


def new_secret() -> str:
    """What a webhook's messages are signed with."""
    return secrets.token_hex(32)


class AlertRecipient(Deletable):
    """An address that is told: by mail, or by a webhook."""

    class By(models.TextChoices):
        MAIL = "mail"
        WEBHOOK = "webhook"

    class When(models.TextChoices):
        AT_ONCE = "at_once"
        HOURLY = "hourly"
        MORNING = "morning"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    by = models.CharField(max_length=8, choices=By.choices)
    to = models.CharField(max_length=500)
    when = models.CharField(max_length=8, choices=When.choices, default=When.AT_ONCE)
    kinds = ArrayField(models.CharField(max_length=20))
    secret = models.CharField(max_length=64, default=new_secret)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    told_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "by", "to"), name="alerted_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.to


class Alert(models.Model):
    """One thing that is wrong or decided, from when it was first seen until it has been gone for a while."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    kind = models.CharField(max_length=20)
    # Tells one thing of a kind from another.
    key = models.CharField(max_length=80)
    says = models.TextField()
    # Below the site's own address.
    place = models.CharField(max_length=200)
    began_at = models.DateTimeField()
    seen_at = models.DateTimeField()
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "kind", "key"), name="alert_stands_once", condition=models.Q(ended_at=None)
            ),
        )


class AlertMessage(models.Model):
    """What one recipient is told at one time."""

    class State(models.TextChoices):
        WAITING = "waiting"
        SENT = "sent"
        FAILED = "failed"

    # Also the message's own id, by which a receiver knows one that comes twice.
    key = models.UUIDField(default=uuid.uuid4, unique=True)
    recipient = models.ForeignKey(AlertRecipient, on_delete=models.CASCADE, related_name="messages")
    alerts = models.ManyToManyField(Alert, related_name="messages")
    is_test = models.BooleanField(default=False)
    made_at = models.DateTimeField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    tries = models.PositiveSmallIntegerField(default=0)
    next_at = models.DateTimeField(null=True)
    sent_at = models.DateTimeField(null=True)
    # What came back last, where it was no success.
    failure = models.CharField(max_length=300, blank=True)

    class Meta:
        indexes = (
            models.Index(fields=("next_at",), name="alert_message_due", condition=models.Q(state="waiting")),
        )
