"""Pictures of pages, and when each page was last looked at."""

from __future__ import annotations

from django.db import models

from clabo.collect.events.models import Page
from clabo.setup.sites.models import Site


class Width(models.TextChoices):
    """As whom a page is looked at: a window of 1280, or a phone of 390 pixels."""

    DESKTOP = "desktop"
    PHONE = "phone"


class PagePicture(models.Model):
    """How a page looked from `taken_at` until `seen_at`, when it was last found unchanged."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    page = models.ForeignKey(Page, on_delete=models.CASCADE, related_name="+")
    width = models.CharField(max_length=8, choices=Width.choices)
    taken_at = models.DateTimeField()
    seen_at = models.DateTimeField()
    # Of the whole picture, in pixels of the page; what lies below the greatest height is cut off.
    height = models.PositiveIntegerField()
    cut = models.BooleanField(default=False)
    # WebP. The small one shows the top of the page.
    whole = models.BinaryField()
    small = models.BinaryField()
    # What core.pagechange tells changes from: rows of tiles, each a hash and three colours.
    tiles = models.JSONField()
    # Where it differs from the one before: rows and columns of tiles; None for a page's first.
    changed = models.JSONField(null=True)

    class Meta:
        indexes = (models.Index(fields=("site", "taken_at"), name="picture_by_time"),)
        constraints = (models.UniqueConstraint(fields=("page", "width", "taken_at"), name="picture_once"),)


class PageLook(models.Model):
    """The last look at a page."""

    page = models.OneToOneField(Page, on_delete=models.CASCADE, primary_key=True, related_name="+")
    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    looked_at = models.DateTimeField()
    # Why there is no picture of that look, and more on it; empty where there is one.
    reason = models.CharField(max_length=20, blank=True)
    more = models.CharField(max_length=260, blank=True)
    # Hosts that are not the site's, from which the page wanted something that the picture lacks.
    left_out = models.JSONField(default=list)
    # Addresses on the site's own hosts that it links to.
    links = models.JSONField(default=list)


class LinkCheck(models.Model):
    """The last try of an address that a page links to, and since when it leads nowhere."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    address = models.CharField(max_length=2000)
    checked_at = models.DateTimeField()
    # Of the answer; 0 where there was none.
    status = models.PositiveSmallIntegerField()
    dead_since = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "address"), name="link_checked_once"),)
