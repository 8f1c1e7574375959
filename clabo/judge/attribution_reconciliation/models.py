"""How the places that ads run count conversions."""

from __future__ import annotations

from django.db import models

from clabo.setup.sites.models import Site


class AdSide(models.Model):
    """How one source counts: so many days after a click, once a click or every one, in days of its own zone."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    # As spend files and links have it, in small letters.
    source = models.CharField(max_length=200)
    window_days = models.PositiveSmallIntegerField(default=30)
    once = models.BooleanField(default=False)
    # Empty: the site's.
    time_zone = models.CharField(max_length=64, blank=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "source"), name="ad_side_once"),)
