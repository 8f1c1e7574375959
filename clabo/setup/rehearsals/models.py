"""Rehearsals, and the steps that a conversion is rehearsed by."""

from __future__ import annotations

import secrets

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site


class RehearsalSteps(models.Model):
    """What a browser that runs by itself does to rehearse a rule (`manage.py rehearse`)."""

    rule = models.OneToOneField(ConversionRule, on_delete=models.CASCADE, related_name="steps")
    text = models.TextField()
    changed_at = models.DateTimeField(auto_now=True)


def new_token() -> str:
    """Marks the hits of one rehearsal."""
    return secrets.token_hex(8)


class Rehearsal(models.Model):
    """A check of one or all conversions of a site, with what should count and what should stay silent.

    `checked` lists the rules as they were when it began, each with its lines; once it has ended, with what came
    of them.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    token = models.CharField(max_length=32, unique=True, default=new_token)
    started_at = models.DateTimeField(auto_now_add=True)
    started_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    ended_at = models.DateTimeField(null=True)
    by_itself = models.BooleanField(default=False)
    checked = models.JSONField()

    class Meta:
        indexes = (models.Index(fields=("site", "-started_at"), name="rehearsal_by_time"),)
