"""What a page is there for, where somebody has said so; and what has been said of pages."""

from __future__ import annotations

from django.db import models

from clabo.collect.events.models import Page
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site


class PageGoal(models.Model):
    """The conversion that a landing page is there for, where somebody has said so (definitions: "A page's own goal")."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    page = models.OneToOneField(Page, on_delete=models.CASCADE, related_name="+")
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, related_name="+")


class StandingFinding(models.Model):
    """What Today has said of a page and goes on saying until it no longer holds. `key`: see reports.standing."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    key = models.CharField(max_length=100)
    since = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "key"), name="finding_once"),)
