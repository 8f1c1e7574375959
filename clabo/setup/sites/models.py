"""A site is what one tag belongs to: hosts, money, time zone, and how its addresses are read."""

from __future__ import annotations

import secrets
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from django.contrib.postgres.fields import ArrayField
from django.core.validators import MaxValueValidator, MinValueValidator
from django.db import models

from clabo.core.pages.addresses import PageReading
from clabo.platform.accounts.models import Workspace


def new_key() -> str:
    """A site key: public, but not guessable."""
    return secrets.token_hex(8)


class Consent(models.TextChoices):
    """When the tag stores an id and sends hits. Global Privacy Control goes before all of them."""

    ALWAYS = "always"
    ASK = "ask", "only after consent"
    NAMELESS = "nameless", "without a stored id"


class Site(models.Model):
    """One web site or funnel that is measured as a whole."""

    workspace = models.ForeignKey(Workspace, on_delete=models.CASCADE, related_name="sites")
    name = models.CharField(max_length=120)
    key = models.CharField(max_length=32, unique=True, default=new_key)
    currency = models.CharField(max_length=3, default="EUR")
    time_zone = models.CharField(max_length=64, default="UTC")
    meaningful_parameters = ArrayField(models.CharField(max_length=60), default=list, blank=True)
    keep_fragment = models.BooleanField(default=False)
    visit_gap_minutes = models.PositiveSmallIntegerField(
        default=30, validators=[MinValueValidator(1), MaxValueValidator(240)]
    )
    attribution_window_days = models.PositiveSmallIntegerField(default=30)
    consent = models.CharField(max_length=10, choices=Consent.choices, default=Consent.ALWAYS)
    # Visits from these networks are the site's own people's (CIDR).
    own_networks = ArrayField(models.CharField(max_length=50), default=list, blank=True)
    # Origins of frames whose form helper is listened to.
    frame_origins = ArrayField(models.CharField(max_length=300), default=list, blank=True)
    margin = models.DecimalField(max_digits=5, decimal_places=4, null=True, blank=True)
    # So many people are enough to advertise to, and so many are plenty.
    audience_floor = models.PositiveIntegerField(default=300, db_default=300)
    audience_plenty = models.PositiveIntegerField(default=1500, db_default=1500)
    # Settings by name that are asked for, and hold once all that was recorded has been read by them (collect/pipeline/rereading.py).
    # Until then the site is read as it was, by what stands above.
    waiting = models.JSONField(null=True)
    # Of the demo alone: its pages lie in this machine, and may be fetched all the same.
    is_demo = models.BooleanField(default=False, db_default=False)
    created_at = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.name

    @property
    def zone(self) -> ZoneInfo:
        """The time zone that days of this site are days of.

        A name that this machine knows no more must not stop what is done for all sites: UTC then.
        """
        try:
            return ZoneInfo(self.time_zone)
        except (ZoneInfoNotFoundError, ValueError):
            return ZoneInfo("UTC")

    @cached_property
    def page_reading(self) -> PageReading:
        """How addresses become pages here: for rules, audiences, paths, spend and links alike."""
        stands_for = {h.host: h.stands_for for h in self.hosts.all() if h.stands_for}
        return PageReading(frozenset(self.meaningful_parameters), self.keep_fragment, stands_for)

    def midnight(self, day: date) -> datetime:
        """When that day began here."""
        return datetime.combine(day, time.min, self.zone)

    def first_of_last(self, days: int, now: datetime | None = None) -> date:
        """The first of the last so many days of the site, today among them: "last 28 days" wherever it is said."""
        return (now or datetime.now(UTC)).astimezone(self.zone).date() - timedelta(days=days - 1)

    def last_days(self, days: int, now: datetime | None = None) -> datetime:
        """When that day began."""
        return self.midnight(self.first_of_last(days, now))


class SiteHost(models.Model):
    """A host name whose pages belong to the site.

    `stands_for` names the host that its pages are reported under, for a staging copy or a second
    domain of the same pages. Empty: its own.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="hosts")
    host = models.CharField(max_length=253)
    stands_for = models.CharField(max_length=253, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "host"), name="host_once_per_site"),)
        ordering = ("id",)

    def __str__(self) -> str:
        return self.host


class ProofKey(models.Model):
    """What the site's own server signs orders with (core/trust/proof.py). Two at most hold at a time, while one replaces the other."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="proof_keys")
    secret = models.CharField(max_length=64)
    made_at = models.DateTimeField(auto_now_add=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        ordering = ("-id",)
