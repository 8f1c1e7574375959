"""Columns that somebody has made of two others."""

from __future__ import annotations

from django.db import models

from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.sites.models import Site


class OwnColumn(Deletable):
    """One number of a report's row over another (core/money/own_column.py), and from where on it is marked."""

    class Mark(models.TextChoices):
        NONE = ""
        UNDER = "under"
        OVER = "over"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=40)
    numerator = models.CharField(max_length=20)
    denominator = models.CharField(max_length=20)
    mark = models.CharField(max_length=5, choices=Mark.choices, blank=True)
    mark_at = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="column_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name
