"""What the pipeline could not do: requests set aside, and work that is owed."""

from __future__ import annotations

from django.contrib.postgres.fields import ArrayField
from django.db import models

from clabo.setup.sites.models import Site


class SetAside(models.Model):
    """One accepted request that cannot be stored, with the reason. `manage.py set_aside` lists, re-queues, drops."""

    site_id = models.BigIntegerField(db_index=True)
    payload = models.BinaryField()
    received_at = models.DateTimeField()
    reason = models.TextField()
    set_at = models.DateTimeField(auto_now_add=True)


class Owed(models.Model):
    """What a hook after storing could not do for some visitors and days of a site; tried again until it is done."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    hook = models.CharField(max_length=100)
    visitors = ArrayField(models.BigIntegerField())
    days = ArrayField(models.DateField())
    reason = models.TextField()
    tries = models.PositiveIntegerField(default=1)
    next_at = models.DateTimeField(db_index=True)
    since = models.DateTimeField(auto_now_add=True)
