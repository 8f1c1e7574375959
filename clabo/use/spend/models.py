"""Imports of spend files and their rows."""

from __future__ import annotations

from django.db import models

from clabo.collect.events.models import Origin, Page
from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.sites.models import Site


class SpendImport(models.Model):
    """One file: uploaded, looked at, then taken in whole or not at all; can be undone."""

    class State(models.TextChoices):
        UPLOADED = "uploaded"
        DONE = "done"
        UNDONE = "undone"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    file_name = models.CharField(max_length=200)
    # SHA-256 of the bytes, by which the same file is recognised.
    digest = models.CharField(max_length=64)
    stored_as = models.CharField(max_length=80)
    state = models.CharField(max_length=10, choices=State.choices, default=State.UPLOADED)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)
    source = models.CharField(max_length=200, blank=True)
    rows = models.PositiveIntegerField(default=0)
    first_day = models.DateField(null=True)
    last_day = models.DateField(null=True)
    cost = models.DecimalField(max_digits=18, decimal_places=6, default=0)

    class Meta:
        indexes = (models.Index(fields=("site", "digest"), name="import_by_digest"),)


class SpendRow(models.Model):
    """Impressions, clicks and cost of one ad on one day."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    batch = models.ForeignKey(SpendImport, on_delete=models.CASCADE, related_name="spend_rows")
    day = models.DateField()
    source = models.CharField(max_length=200)
    campaign = models.CharField(max_length=200, blank=True)
    ad_group = models.CharField(max_length=200, blank=True)
    ad = models.CharField(max_length=200, blank=True)
    # The page that the file says the ad leads to, where it says so.
    page = models.ForeignKey(Page, on_delete=models.SET_NULL, null=True, related_name="+")
    landing = models.CharField(max_length=2300, blank=True)
    impressions = models.PositiveBigIntegerField()
    clicks = models.PositiveBigIntegerField()
    cost = models.DecimalField(max_digits=16, decimal_places=6)
    # The ad side's own count: of clicks, what they are worth, and for ads that were only seen. None: it has no column.
    conversions = models.DecimalField(max_digits=16, decimal_places=6, null=True)
    value = models.DecimalField(max_digits=16, decimal_places=6, null=True)
    view_conversions = models.DecimalField(max_digits=16, decimal_places=6, null=True)
    # Of day, source, campaign, ad group, ad and landing address: what may come in one import only.
    fingerprint = models.CharField(max_length=32)

    class Meta:
        indexes = (
            models.Index(fields=("site", "day"), name="spend_by_day"),
            models.Index(fields=("site", "fingerprint"), name="spend_by_fingerprint"),
        )


class FileReading(models.Model):
    """How a file with these column heads was read when one was taken in last: proposed for the next.

    Not its source: many places write alike, and cost put down to another's is a wrong number that nobody sees.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    # Of the heads, in their order.
    heads = models.CharField(max_length=32)
    columns = models.JSONField()
    day_order = models.CharField(max_length=3)
    decimal_mark = models.CharField(max_length=1)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "heads"), name="file_reading_once"),)


class CostPart(models.Model):
    """A part of a day's cost and the landing page it belongs to; kept by joining.py.

    `page` is null, and campaign and rows are given, where it joined nothing.
    """

    class How(models.IntegerChoices):
        VISITS = 1
        ADDRESS = 2
        NOTHING = 3

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False)
    day = models.DateField()
    how = models.PositiveSmallIntegerField(choices=How.choices)
    page = models.ForeignKey(Page, on_delete=models.CASCADE, null=True, related_name="+", db_index=False)
    channel = models.CharField(max_length=10, blank=True)
    source = models.CharField(max_length=260, blank=True)
    campaign = models.CharField(max_length=200, blank=True)
    # 0 where no visit tells.
    device = models.PositiveSmallIntegerField(default=0)
    # Of the visits that answered; None where none did.
    origin = models.ForeignKey(Origin, on_delete=models.CASCADE, null=True, related_name="+", db_index=False)
    rows = models.PositiveIntegerField(default=0)
    impressions = models.PositiveBigIntegerField(default=0)
    clicks = models.PositiveBigIntegerField(default=0)
    cost = models.DecimalField(max_digits=18, decimal_places=6)

    class Meta:
        indexes = (models.Index(fields=("site", "day"), name="cost_part_by_day"),)


class Budget(Deletable):
    """What a month's ads may cost: of all sources, of one, or of one campaign of it."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    # Empty: of all of them.
    source = models.CharField(max_length=200, blank=True)
    campaign = models.CharField(max_length=200, blank=True)
    # In the site's currency.
    amount = models.DecimalField(max_digits=12, decimal_places=2)
    made_at = models.DateTimeField(auto_now_add=True)
    made_by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=("site", "source", "campaign"), name="budget_once", condition=models.Q(deleted_at=None)
            ),
        )

    def __str__(self) -> str:
        return " / ".join(filter(None, (self.source, self.campaign))) or "all spend"
