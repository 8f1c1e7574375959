"""Why a job has failed; jobs themselves are procrastinate's."""

from __future__ import annotations

from django.db import models


class JobFailure(models.Model):
    """The last failure of a job that is tried again, or was given up."""

    job_id = models.BigIntegerField(unique=True)
    reason = models.TextField()
    at = models.DateTimeField(auto_now=True)
