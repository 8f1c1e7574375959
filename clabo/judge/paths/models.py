"""Paths that are kept."""

from __future__ import annotations

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class Path(models.Model):
    """Named steps: conditions as rules of conversions state them, or conversions."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=80)
    steps = models.JSONField()
    # The last step at most so many seconds after the first, for one person; None: all within one visit.
    within = models.PositiveIntegerField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    deleted_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "name"), name="path_name_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return self.name
