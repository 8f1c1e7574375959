"""What a page is there for, where somebody has said so."""

from __future__ import annotations

from django.db import models

from clabo.conversions.models import ConversionRule
from clabo.events.models import Page
from clabo.sites.models import Site


class PageGoal(models.Model):
    """The conversion that a landing page is there for, where somebody has said so (definitions: "A page's own goal")."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    page = models.OneToOneField(Page, on_delete=models.CASCADE, related_name="+")
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, related_name="+")
