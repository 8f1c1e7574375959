"""Notes on days: what somebody wants to remember beside the curves."""

from __future__ import annotations

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class Note(models.Model):
    """A few words on a day of the site."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    day = models.DateField()
    text = models.CharField(max_length=300)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)

    class Meta:
        indexes = (models.Index(fields=("site", "day"), name="note_by_day"),)
