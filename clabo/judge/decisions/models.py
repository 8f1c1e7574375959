"""What somebody has done about a thing that Today proposed."""

from __future__ import annotations

from django.db import models

from clabo.platform.accounts.models import User
from clabo.setup.sites.models import Site


class Decision(models.Model):
    """An answer to a proposal. `key` says which: reports.today has them."""

    class Answer(models.TextChoices):
        DONE = "done"
        LATER = "later"
        NEVER = "never"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    key = models.CharField(max_length=600)
    # What it was about, in words: of a time when its page or test may be gone.
    about = models.CharField(max_length=300)
    # What was said to come of it, in money a day, with the limits of its interval; of a move of money.
    gain = models.DecimalField(max_digits=20, decimal_places=6, null=True)
    gain_low = models.DecimalField(max_digits=20, decimal_places=6, null=True)
    gain_high = models.DecimalField(max_digits=20, decimal_places=6, null=True)
    answer = models.CharField(max_length=8, choices=Answer.choices)
    reason = models.CharField(max_length=300, blank=True)
    # When it is asked again, of what was put off.
    until = models.DateField(null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    undone_at = models.DateTimeField(null=True)

    class Meta:
        indexes = (models.Index(fields=("site", "key"), name="decision_by_key"),)
