"""What is to be shown to whom, and what a channel says of it."""

from __future__ import annotations

import uuid

from django.db import models

from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.models import AdChannel


class AdPlan(Deletable):
    """A plan: written, running, ended. Money is in the site's currency."""

    class State(models.TextChoices):
        DRAFT = "draft"
        RUNNING = "running"
        ENDED = "ended"

    class Sharing(models.TextChoices):
        FIXED = "fixed"
        SHARED = "shared"

    class Return(models.TextChoices):
        UNSAID = ""
        PAYS = "pays"
        LOSES = "loses"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    channel = models.ForeignKey(AdChannel, on_delete=models.CASCADE, related_name="plans")
    # How the channel calls it, and what its links name as their campaign once it has begun.
    key = models.UUIDField(default=uuid.uuid4, unique=True)
    campaign = models.CharField(max_length=120, blank=True)
    name = models.CharField(max_length=80)
    aim = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, related_name="+")
    left_out = models.ManyToManyField(Audience, related_name="+")
    placements = models.JSONField(default=list)
    daily_budget = models.DecimalField(max_digits=10, decimal_places=2)
    highest_click = models.DecimalField(max_digits=8, decimal_places=2)
    # How often one person sees it in a week; 0: as often as may be.
    cap = models.PositiveIntegerField(default=0)
    first = models.DateField(null=True)
    last = models.DateField(null=True)
    sharing = models.CharField(max_length=6, choices=Sharing.choices, default=Sharing.FIXED)
    state = models.CharField(max_length=7, choices=State.choices, default=State.DRAFT)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    # Counted up at each change that the channel has to hear of, and the one that it has heard of.
    version = models.PositiveIntegerField(default=0)
    told_version = models.PositiveIntegerField(default=0)
    # How the channel says that it stands, and when that was; why it could not be told.
    told = models.JSONField(null=True)
    told_at = models.DateTimeField(null=True)
    failure = models.CharField(max_length=300, blank=True)
    # What has been said of its return, and goes on being said until it no longer holds.
    return_said = models.CharField(max_length=5, choices=Return.choices, default=Return.UNSAID, blank=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="plan_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name

    @property
    def waits(self) -> bool:
        """Whether the channel has not heard of the last change yet."""
        return self.state != self.State.DRAFT and self.told_version < self.version


class PlanLine(models.Model):
    """To whom: an audience, or new people that the channel finds; and a part of the budget, against the other lines'."""

    plan = models.ForeignKey(AdPlan, on_delete=models.CASCADE, related_name="lines")
    place = models.PositiveSmallIntegerField()
    # What its links name as their ad group.
    key = models.CharField(max_length=60)
    audience = models.ForeignKey(Audience, on_delete=models.RESTRICT, null=True, related_name="+")
    seek = models.JSONField(null=True)
    share = models.DecimalField(max_digits=5, decimal_places=2, default=1)

    class Meta:
        ordering = ("place",)
        constraints = (models.UniqueConstraint(fields=("plan", "key"), name="plan_line_key_once"),)


class PlanCreative(models.Model):
    """What is shown, and where it leads."""

    plan = models.ForeignKey(AdPlan, on_delete=models.CASCADE, related_name="creatives")
    place = models.PositiveSmallIntegerField()
    # What its links name as their ad.
    key = models.CharField(max_length=60)
    headline = models.CharField(max_length=90)
    text = models.CharField(max_length=200, blank=True)
    button = models.CharField(max_length=30, blank=True)
    # The address of a kept picture.
    picture = models.CharField(max_length=300, blank=True)
    landing = models.CharField(max_length=2000)
    share = models.DecimalField(max_digits=5, decimal_places=2, default=1)

    class Meta:
        ordering = ("place",)
        constraints = (models.UniqueConstraint(fields=("plan", "key"), name="plan_creative_key_once"),)
