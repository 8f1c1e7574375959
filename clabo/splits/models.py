"""A test, its variants, and who was exposed to which."""

from __future__ import annotations

import secrets

from django.db import models

from clabo.conversions.models import ConversionRule
from clabo.events.models import Visitor
from clabo.sites.models import Site

LETTERS = "ABCDEFGH"


def new_key() -> str:
    """The salt of a test's split, also its name in the tag's settings."""
    return secrets.token_hex(4)


class SplitTest(models.Model):
    """A control page and its challengers, judged by one conversion."""

    class State(models.TextChoices):
        DRAFT = "draft"
        RUNNING = "running"
        ENDED = "ended"

    class What(models.TextChoices):
        """What differs: the address that visitors are sent to, or the content of one page."""

        ADDRESS = "address"
        CONTENT = "content"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    key = models.CharField(max_length=16, default=new_key)
    rule = models.ForeignKey(ConversionRule, on_delete=models.PROTECT)
    what = models.CharField(
        max_length=10, choices=What.choices, default=What.ADDRESS, db_default=What.ADDRESS.value
    )
    state = models.CharField(max_length=10, choices=State.choices, default=State.DRAFT)
    # Whole percentages: of the visitors, how many are in the test.
    traffic = models.PositiveSmallIntegerField(default=100)
    # Plan: the control's rate, the smallest relative lift worth finding, visitors in all.
    baseline = models.FloatField()
    smallest_lift = models.FloatField()
    planned_visitors = models.PositiveIntegerField()
    created_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "key"), name="test_key_once"),)

    def __str__(self) -> str:
        return self.name


class Variant(models.Model):
    """One address of a test, or what it changes on the test's one page. Letter A is the control."""

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE, related_name="variants")
    letter = models.CharField(max_length=1)
    host = models.CharField(max_length=260)
    path = models.TextField()
    share = models.PositiveSmallIntegerField()
    # Of a test of content: what is changed (core/changes.py); nothing for the control.
    changes = models.JSONField(default=list, blank=True)
    # How often the page that a visitor was sent to has led back to the control, and when last.
    led_back = models.PositiveIntegerField(default=0, db_default=0)
    led_back_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("test", "letter"), name="letter_once"),)
        ordering = ("letter",)


class Unfound(models.Model):
    """A selector that a page of the test had no element for: how often that was told, and when last."""

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="unfound")
    selector = models.TextField()
    times = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("variant", "selector"), name="unfound_once"),)


class Exposure(models.Model):
    """A visitor's first sight of their variant."""

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE)
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, related_name="+")
    letter = models.CharField(max_length=1)
    first_at = models.DateTimeField()
    # The visit that the first sight lies in now; re-stitching may give it another.
    visit_id = models.BigIntegerField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("test", "visitor"), name="exposed_once"),)
