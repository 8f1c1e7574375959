"""Stages of leads and orders, and what was told of them."""

from __future__ import annotations

from django.db import models

from clabo.collect.events.models import Visitor
from clabo.core.outcomes.stages import EFFECTS
from clabo.core.outcomes.stages import Stage as Step
from clabo.platform.accounts.models import User
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site


class Stage(models.Model):
    """One of a site's stages, in their order. A site without any has the usual ones (stages.py)."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    key = models.CharField(max_length=40)
    name = models.CharField(max_length=60)
    effect = models.CharField(max_length=10, choices=[(e, e) for e in EFFECTS])
    place = models.PositiveSmallIntegerField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "key"), name="stage_once"),)
        ordering = ("place", "id")

    @property
    def step(self) -> Step:
        return Step(self.key, self.name, self.effect)  # type: ignore[arg-type]


class OutcomeImport(models.Model):
    """One file: uploaded, looked at, then taken in or not; can be undone. The file itself goes once it is taken in."""

    class State(models.TextChoices):
        UPLOADED = "uploaded"
        DONE = "done"
        UNDONE = "undone"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    file_name = models.CharField(max_length=200)
    digest = models.CharField(max_length=64)
    stored_as = models.CharField(max_length=80, blank=True)
    state = models.CharField(max_length=10, choices=State.choices, default=State.UPLOADED)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    # Rows that said something new.
    rows = models.PositiveIntegerField(default=0)

    class Meta:
        indexes = (models.Index(fields=("site", "digest"), name="outcomes_by_digest"),)


class Outcome(models.Model):
    """One thing that was told. Of those with one `key` the last one that stands is `current`; only that one counts.

    `identity` is an order number, or the SHA-256 of an e-mail address or customer id in hexadecimal. `subject` is the
    event that this is an outcome of, None while none is found, for the reason in `why`.
    """

    class By(models.TextChoices):
        ORDER = "order", "order number"
        EMAIL = "email", "e-mail address"
        CUSTOMER = "customer", "customer id"

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    batch = models.ForeignKey(OutcomeImport, on_delete=models.CASCADE, null=True)
    key = models.CharField(max_length=32)
    by = models.CharField(max_length=8, choices=By.choices)
    identity = models.CharField(max_length=100)
    stage = models.CharField(max_length=40)
    # As it was told; None: it was not.
    at = models.DateTimeField(null=True)
    # No time of the day was told.
    whole_day = models.BooleanField(default=False)
    value = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    currency = models.CharField(max_length=3, blank=True)
    row = models.CharField(max_length=100, blank=True)
    withdrawn = models.BooleanField(default=False)
    # Only conversions of this rule may be what it is an outcome of; None: of any.
    rule = models.ForeignKey(ConversionRule, on_delete=models.CASCADE, null=True, related_name="+")
    received_at = models.DateTimeField()
    current = models.BooleanField(default=True)
    subject = models.UUIDField(null=True)
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, null=True, related_name="+")
    # The code of the reason.
    why = models.CharField(max_length=40, blank=True)

    class Meta:
        indexes = (
            models.Index(fields=("site", "key"), name="outcome_by_key"),
            models.Index(fields=("site", "by", "identity"), name="outcome_by_identity"),
            models.Index(
                fields=("site", "id"),
                name="outcome_waiting",
                condition=models.Q(current=True, withdrawn=False, subject=None),
            ),
        )
