"""Conversion rules with their versions, conversions, and credits."""

from __future__ import annotations

from decimal import Decimal

from django.db import models

from clabo.collect.events.models import OfVisits, Origin, Page, Visit, Visitor
from clabo.core.trust import daily_value_limit
from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class Category(models.TextChoices):
    """What a conversion is worth calling."""

    LEAD = "lead"
    SIGNUP = "signup", "sign-up"
    PURCHASE = "purchase"
    BOOKING = "booking"
    OTHER = "other"


class ConversionRule(models.Model):
    """A rule in its current version.

    `counted_version` trails `version` while the past is being recounted; the worker sees the
    difference and makes them equal, so no recount is ever lost.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=60)
    category = models.CharField(max_length=10, choices=Category.choices)
    rule = models.JSONField()
    counting = models.CharField(max_length=10)
    # Null: conversions of this rule have no value. Otherwise a fixed value in the site's currency.
    value = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    # Where this is given, the value is the event's property of that name instead.
    value_property = models.CharField(max_length=60, blank=True, default="")
    # What a customer is worth over a lifetime, as a multiple of the value.
    lifetime_factor = models.DecimalField(max_digits=8, decimal_places=4, null=True)
    # Only events whose order the site's server has signed (core/trust/proof.py).
    proven_only = models.BooleanField(default=False, db_default=False)
    # The most value of a day, without a proof, that enters sums (core/trust/daily_value_limit.py). Null: no limit.
    visitor_day_limit = models.DecimalField(
        max_digits=14, decimal_places=4, null=True, default=daily_value_limit.VISITOR
    )
    network_day_limit = models.DecimalField(
        max_digits=14, decimal_places=4, null=True, default=daily_value_limit.NETWORK
    )
    site_day_limit = models.DecimalField(
        max_digits=14, decimal_places=4, null=True, default=daily_value_limit.SITE
    )
    version = models.PositiveIntegerField(default=1)
    counted_version = models.PositiveIntegerField(default=0)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    @property
    def has_value(self) -> bool:
        """A conversion is worth something that is known: money can be judged by it."""
        return self.value is not None or bool(self.value_property)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="rule_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name


class RuleVersion(models.Model):
    """What a rule said at one time."""

    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, related_name="versions")
    version = models.PositiveIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    content = models.JSONField()
    # What it changed against the version before, once it has been applied to the past.
    added = models.PositiveIntegerField(null=True)
    removed = models.PositiveIntegerField(null=True)
    changed_since = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("rule", "version"), name="version_once"),)
        ordering = ("-version",)


class Recount(models.Model):
    """How far the recount of a rule has come. Written outside its transaction, so that others see it."""

    rule = models.OneToOneField(
        ConversionRule, on_delete=models.CASCADE, db_constraint=False, primary_key=True, related_name="+"
    )
    done = models.PositiveIntegerField(default=0)
    total = models.PositiveIntegerField(default=0)


class Conversion(models.Model):
    """An event that meets a rule, after its counting mode."""

    objects = OfVisits["Conversion"].as_manager()

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE)
    event_id = models.UUIDField()
    time = models.DateTimeField()
    # When the visitor acted, where this is an outcome that was told of later; None: at `time`.
    acted_at = models.DateTimeField(null=True)
    # Of the site.
    day = models.DateField()
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, related_name="+")
    # None: reported by a server, of somebody whose visit is not known.
    # Not taken along by a visit that goes: what rests on the conversion has to hear of it (reconcile.py).
    visit = models.ForeignKey(
        Visit, on_delete=models.DO_NOTHING, null=True, related_name="+", db_constraint=False
    )
    value = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    # Empty: the site's. A value in another currency is kept, and left out of sums.
    currency = models.CharField(max_length=3, blank=True, default="")
    order = models.CharField(max_length=100, blank=True, default="")
    # Beyond what a day may bring without a proof: kept, and left out of sums.
    beyond = models.BooleanField(default=False, db_default=False)

    @property
    def summed(self) -> Decimal | None:
        """What it adds to sums of money; None where it has no value that enters one."""
        return None if self.currency or self.beyond else self.value

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "rule", "event_id"), name="conversion_once"),)
        indexes = (
            models.Index(fields=("site", "rule", "time"), name="conversion_by_time"),
            models.Index(fields=("site", "rule", "day"), name="conversion_by_day"),
            models.Index(fields=("site", "visitor"), name="conversion_by_visitor"),
        )


class Credit(models.Model):
    """A share of a conversion that a visit is credited with, under one attribution model.

    The visit's day, landing page, origin and device are repeated here, so that a report over a
    year of credits joins nothing. Where no visit is eligible, one credit without visit, page and origin (and 0 as
    device) takes it all, on the day of the conversion.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, db_index=False)
    conversion = models.ForeignKey(Conversion, on_delete=models.CASCADE, related_name="credits")
    model = models.CharField(max_length=10)
    visit = models.ForeignKey(
        Visit, on_delete=models.CASCADE, null=True, related_name="+", db_constraint=False
    )
    share = models.DecimalField(max_digits=10, decimal_places=9)
    value = models.DecimalField(max_digits=20, decimal_places=9, null=True)
    day = models.DateField()
    page = models.ForeignKey(Page, on_delete=models.CASCADE, null=True, related_name="+", db_index=False)
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, null=True, related_name="+", db_index=False)
    device = models.PositiveSmallIntegerField()

    class Meta:
        indexes = (models.Index(fields=("site", "rule", "model", "day"), name="credit_by_day"),)
