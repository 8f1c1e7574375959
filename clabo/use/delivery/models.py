"""Places ads run, whom they know for the site, and what has been reported to them."""

from __future__ import annotations

import uuid

from django.db import models
from django.db.models.functions import Now

from clabo.collect.events.models import Visitor
from clabo.core.trust.identities import KINDS as IDENTITIES
from clabo.platform.accounts.models import User
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience


class AdChannel(models.Model):
    """A place ads run: how links to it are marked, and how it is spoken with."""

    class Kind(models.TextChoices):
        FILES = "files"
        HTTP = "http"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=5, choices=Kind.choices)
    # As its links and spend files have it.
    source = models.CharField(max_length=200)
    # The parameter of a link that carries the click.
    click_parameter = models.CharField(max_length=40, blank=True)
    # Where the four calls are, and with what key (docs/channels.md). The key is never shown again.
    base_url = models.CharField(max_length=300, blank=True)
    secret = models.CharField(max_length=300, blank=True)
    # Which conversions are reported, those that happen from then on.
    rules = models.ManyToManyField(ConversionRule, related_name="+")
    since = models.DateTimeField(auto_now_add=True)
    # Who has said that people agreed to their hashed identities going there. Without that no audience does.
    agreed_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    agreed_at = models.DateTimeField(null=True)
    reads_spend = models.BooleanField(default=True)
    spend_read_at = models.DateTimeField(null=True)
    # How the columns of its files are named: {"members": {"email": "…"}, "conversions": {"click": "…"}}.
    heads = models.JSONField(default=dict)
    # What it last said of itself, and when; what went wrong since, and how often in a row.
    told = models.JSONField(null=True)
    told_at = models.DateTimeField(null=True)
    failing_since = models.DateTimeField(null=True)
    failure = models.CharField(max_length=300, blank=True)
    failures = models.PositiveIntegerField(default=0)
    # Nothing is tried before then.
    rests_until = models.DateTimeField(null=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="channel_name_once", condition=models.Q(deleted_at=None)
            ),
            models.UniqueConstraint(
                fields=("site", "source"), name="channel_source_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name


class AudienceUse(models.Model):
    """An audience that a channel is given, and how far that is."""

    audience = models.ForeignKey(Audience, on_delete=models.CASCADE, related_name="uses")
    channel = models.ForeignKey(AdChannel, on_delete=models.CASCADE, related_name="uses")
    # How the channel calls the list.
    key = models.UUIDField(default=uuid.uuid4)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    # All are to be taken out there again, and then it goes.
    ended_at = models.DateTimeField(null=True)
    # How many people and identities were to be there when it was last looked at, and when all of that was done.
    people = models.PositiveIntegerField(null=True)
    wanted = models.PositiveIntegerField(null=True)
    # The audience's version that it was brought to.
    version = models.PositiveIntegerField(default=0)
    done_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("audience", "channel"), name="use_once"),)


class Withdrawal(models.Model):
    """A browser in which consent was taken back: what was stated of its person before then goes nowhere any more."""

    visitor = models.OneToOneField(Visitor, on_delete=models.CASCADE, primary_key=True, related_name="+")
    at = models.DateTimeField()


class Delivered(models.Model):
    """An identity that a channel has taken in for an audience, or refused for good.

    Kept by what was sent and not by whose it was: it is still known whom to take out there when somebody has been forgotten here.
    """

    use = models.ForeignKey(AudienceUse, on_delete=models.CASCADE, related_name="delivered", db_index=False)
    kind = models.PositiveSmallIntegerField(choices=list(enumerate(IDENTITIES)))
    hash = models.BinaryField(max_length=32)
    # Empty: it is there.
    refused = models.CharField(max_length=60, blank=True)
    # Why the channel would not take it off when it was asked to last: it is there still, and asked again.
    not_removed = models.CharField(max_length=60, blank=True, default="", db_default="")

    class Meta:
        constraints = (models.UniqueConstraint(fields=("use", "kind", "hash"), name="delivered_once"),)


class MemberBatch(models.Model):
    """Members on their way: written before they are sent, so that after a crash the same call is made again."""

    use = models.OneToOneField(AudienceUse, on_delete=models.CASCADE, related_name="batch")
    key = models.UUIDField(default=uuid.uuid4)
    # One byte for the kind and 32 for the hash each.
    add = models.BinaryField()
    remove = models.BinaryField()
    made_at = models.DateTimeField(auto_now_add=True)


class OwedReport(models.Model):
    """A conversion that came, changed or went, and that channels may have to hear of; written by a trigger."""

    site_id = models.BigIntegerField()
    rule_id = models.BigIntegerField()
    event_id = models.UUIDField()
    at = models.DateTimeField(db_default=Now())

    class Meta:
        indexes = (models.Index(fields=("site_id", "id"), name="owed_report_of_site"),)


class Report(models.Model):
    """A conversion as a channel was told of it, or is about to be."""

    class State(models.TextChoices):
        WAITING = "waiting"
        TAKEN = "taken"
        REFUSED = "refused"

    channel = models.ForeignKey(AdChannel, on_delete=models.CASCADE, related_name="reports")
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, related_name="+")
    event_id = models.UUIDField()
    # What the channel knows it by: the conversion's name when it was first told, whatever it is called by now; and the order
    # number, whichever event counts for it, else the event.
    name = models.CharField(max_length=60, blank=True, default="", db_default="")
    event = models.CharField(max_length=200)
    click = models.CharField(max_length=200)
    time = models.DateTimeField()
    value = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    currency = models.CharField(max_length=3)
    withdrawn = models.BooleanField(default=False)
    # Counted up whenever anything of the above changes.
    revision = models.PositiveIntegerField(default=1)
    state = models.CharField(max_length=7, choices=State.choices, default=State.WAITING)
    reason = models.CharField(max_length=60, blank=True)
    # Since when this revision is owed, and when it was answered.
    owed_at = models.DateTimeField()
    answered_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("channel", "rule", "event"), name="reported_once"),)
        indexes = (
            models.Index(fields=("channel", "event_id"), name="report_by_event"),
            models.Index(
                fields=("channel", "id"), name="report_waiting", condition=models.Q(state="waiting")
            ),
            models.Index(fields=("channel", "owed_at"), name="report_by_time"),
        )


class SpendReading(models.Model):
    """A day whose spend was read from a channel: the bytes it came as, so that the same are not taken in again."""

    channel = models.ForeignKey(AdChannel, on_delete=models.CASCADE, related_name="readings")
    day = models.DateField()
    digest = models.CharField(max_length=64)
    batch = models.ForeignKey("spend.SpendImport", on_delete=models.SET_NULL, null=True, related_name="+")
    read_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("channel", "day"), name="spend_read_once"),)
