"""Pages that somebody named, what looking at them found, and the links that show the kit."""

from __future__ import annotations

import secrets

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class ListedPage(models.Model):
    """A page of the site that somebody named, or that a page links to; it may never have been viewed."""

    class Source(models.TextChoices):
        PASTED = "pasted"
        SITEMAP = "sitemap"
        LINK = "link"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    host = models.CharField(max_length=260)
    path = models.TextField()
    source = models.CharField(max_length=10, choices=Source.choices)
    listed_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "host", "path"), name="listed_once"),)


class PageCheck(models.Model):
    """What the last look at a page found: its findings as they are shown."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    host = models.CharField(max_length=260)
    path = models.TextField()
    checked_at = models.DateTimeField()
    findings = models.JSONField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "host", "path"), name="check_once"),)


def new_kit_token() -> str:
    """Long enough that nobody comes upon it by chance."""
    return secrets.token_urlsafe(24)


class KitLink(models.Model):
    """A page that anybody who has its address may read for a while: how to put the tag in."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    token = models.CharField(max_length=64, unique=True, default=new_kit_token)
    email = models.EmailField(blank=True)
    note = models.CharField(max_length=1000, blank=True)
    created_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    created_at = models.DateTimeField(auto_now_add=True)
    expires_at = models.DateTimeField()
    revoked_at = models.DateTimeField(null=True)
