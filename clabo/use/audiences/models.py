"""Audiences and their versions."""

from __future__ import annotations

from django.db import models

from clabo.core.trust.identities import KINDS as IDENTITIES
from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class Audience(models.Model):
    """A definition in its current version. Who is in it is never stored: it is computed when asked."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    definition = models.JSONField()
    version = models.PositiveIntegerField(default=1)
    # Only what was received from then on counts; None: history counts.
    empty_at = models.DateTimeField(null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="audience_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name


class AudienceVersion(models.Model):
    """What an audience said at one time."""

    audience = models.ForeignKey(Audience, on_delete=models.CASCADE, related_name="versions")
    version = models.PositiveIntegerField()
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    name = models.CharField(max_length=80)
    definition = models.JSONField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("audience", "version"), name="audience_version_once"),)
        ordering = ("-version",)


class IdentityList(models.Model):
    """Hashed e-mail addresses or customer ids that somebody has brought along (core/trust/identities.py)."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    kind = models.CharField(max_length=5, choices=[(k, k) for k in IDENTITIES])
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "name"), name="list_name_once"),)

    def __str__(self) -> str:
        return self.name


class Listed(models.Model):
    """One identity on a list."""

    list = models.ForeignKey(IdentityList, on_delete=models.CASCADE, related_name="listed")
    hash = models.BinaryField(max_length=32)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("list", "hash"), name="listed_identity_once"),)


class Taking(models.Model):
    """Members taken out as a file: by whom, or by a link that somebody made, and how many."""

    audience = models.ForeignKey(Audience, on_delete=models.CASCADE, related_name="takings")
    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    by_link = models.BooleanField(default=False)
    form = models.CharField(max_length=10)
    since = models.DateField(null=True)
    # None while it is being sent, and where that was broken off.
    rows = models.PositiveIntegerField(null=True)

    class Meta:
        ordering = ("-at",)
