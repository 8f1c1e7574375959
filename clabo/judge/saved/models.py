"""Views that somebody has kept, who may see them without signing in, and who gets them by mail."""

from __future__ import annotations

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class SavedView(models.Model):
    """A screen with all that stands in its address: lens, view, columns, sort and comparison."""

    class Place(models.TextChoices):
        PAGES = "pages"
        SOURCES = "sources"
        PATHS = "paths"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    place = models.CharField(max_length=10, choices=Place.choices)
    # The words of the address, as the interface writes them.
    words = models.JSONField()
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    changed_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    changed_at = models.DateTimeField(null=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="view_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name


class SharedLink(models.Model):
    """An address at which anybody who has it reads one view, until it ends; only its digest is kept."""

    view = models.ForeignKey(SavedView, on_delete=models.CASCADE, related_name="links")
    digest = models.CharField(max_length=64, unique=True)
    hint = models.CharField(max_length=8)
    # Django's hash of it; empty: none is asked for.
    password = models.CharField(max_length=128, blank=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
    last_used_at = models.DateTimeField(null=True)
    times = models.PositiveIntegerField(default=0)
    # Passwords tried since then.
    tries = models.PositiveIntegerField(default=0)
    tries_since = models.DateTimeField(null=True)


class Mailing(models.Model):
    """A view that goes to an address by mail, until somebody ends it."""

    class Rhythm(models.TextChoices):
        WEEKLY = "weekly"
        MONTHLY = "monthly"

    view = models.ForeignKey(SavedView, on_delete=models.CASCADE, related_name="mailings")
    to = models.EmailField()
    rhythm = models.CharField(max_length=10, choices=Rhythm.choices)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    made_at = models.DateTimeField(auto_now_add=True)
    # The day of the site that it last went out on.
    sent_on = models.DateField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("view", "to", "rhythm"), name="mailing_once", condition=models.Q(ended_at=None)
            ),
        )
