"""A test, its variants, and who was exposed to which."""

from __future__ import annotations

import secrets
from collections.abc import Sequence
from datetime import datetime

from django.db import models

from clabo.collect.events.models import Visit, Visitor
from clabo.core.splits.assignment import Slot, assign, with_held_out
from clabo.core.splits.page_match import Place, read_places
from clabo.platform.accounts.models import User
from clabo.platform.db.deletable import Deletable
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site

LETTERS = "ABCDEFGH"
# In place of a letter, of those in a test who are shown no variant.
HELD_OUT = "-"


def new_key() -> str:
    """The salt of a test's split, also its name in the tag's settings."""
    return secrets.token_hex(4)


class SplitTest(Deletable):
    """A control page and its challengers, judged by one conversion."""

    class State(models.TextChoices):
        DRAFT = "draft"
        RUNNING = "running"
        PAUSED = "paused"
        ENDED = "ended"
        ADOPTED = "adopted"

    class What(models.TextChoices):
        """What differs: the address that visitors are sent to, or the content of one page."""

        ADDRESS = "address"
        CONTENT = "content"

    class Beside(models.TextChoices):
        """Visitors of one are in no other, or everybody may be in both."""

        APART = "apart"
        CROSSED = "crossed"

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=120)
    key = models.CharField(max_length=16, default=new_key)
    rule = models.ForeignKey(ConversionRule, on_delete=models.PROTECT)
    what = models.CharField(
        max_length=10, choices=What.choices, default=What.ADDRESS, db_default=What.ADDRESS.value
    )
    state = models.CharField(max_length=10, choices=State.choices, default=State.DRAFT)
    # Whole percentages: of the visitors, how many are in the test, and from where on (core.splits.Slot).
    traffic = models.PositiveSmallIntegerField(default=100)
    start_at = models.PositiveSmallIntegerField(default=0, db_default=0)
    layer = models.CharField(max_length=16, blank=True, db_default="")
    # Of those in it, how many in a hundred see none of its variants and are measured all the same.
    held_out = models.PositiveSmallIntegerField(default=0, db_default=0)
    # What the split is drawn with, where not with the key: that of the test which this one goes on from.
    salt = models.CharField(max_length=16, blank=True, db_default="")
    # Of content, the pages that it is on besides that of its variants (core/splits/page_match.py).
    pages = models.JSONField(default=list, blank=True, db_default=[])
    # Of content, what a browser has found on the page of its draft (elements.py); None while nobody has looked.
    elements = models.JSONField(null=True)
    # Who may be in it (core/splits/targeting.py).
    who = models.JSONField(default=dict, blank=True, db_default={})
    # Of content, when it begins for somebody who has come (core/splits/trigger.py).
    moment = models.JSONField(default=dict, blank=True, db_default={})
    # What it is read by besides (core/splits/measures.py).
    measures = models.JSONField(default=list, blank=True, db_default=[])
    # How a test on a page of another one is to stand to it.
    beside = models.CharField(max_length=10, choices=Beside.choices, blank=True, db_default="")
    # What is to be remembered of it, and what was learnt.
    notes = models.TextField(blank=True, db_default="")
    # It ends by itself after this day of the site; once it is decided; once a challenger is worse for sure.
    ends_on = models.DateField(null=True)
    ends_decided = models.BooleanField(default=False, db_default=False)
    ends_on_harm = models.BooleanField(default=False, db_default=False)
    # Plan: the control's rate, the smallest relative lift worth finding, visitors in all.
    baseline = models.FloatField()
    smallest_lift = models.FloatField()
    planned_visitors = models.PositiveIntegerField()
    created_at = models.DateTimeField(auto_now_add=True)
    started_at = models.DateTimeField(null=True)
    ended_at = models.DateTimeField(null=True)
    # The variant that was taken over, and whether Clabo shows it to everybody until the site's own page has it.
    adopted = models.CharField(max_length=1, blank=True, db_default="")
    adopted_at = models.DateTimeField(null=True)
    shown = models.BooleanField(default=False, db_default=False)
    # The test whose winner this one watches, some visitors being held back.
    follows = models.ForeignKey("self", on_delete=models.SET_NULL, null=True, related_name="followed_by")
    archived_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "key"), name="test_key_once"),)

    def __str__(self) -> str:
        return self.name

    def assigned(self, visitor: str, variants: Sequence[Variant]) -> str | None:
        """The letter of the variant that a visitor (hexadecimal id) sees, or HELD_OUT; None outside the test."""
        slot = Slot(self.traffic, self.start_at, self.layer)
        shares = with_held_out([v.share for v in variants], self.held_out)
        place = assign(visitor, self.salt or self.key, shares, slot)
        return None if place is None else "".join([*(v.letter for v in variants), HELD_OUT])[place]

    def open_at(self, time: datetime) -> bool:
        """Whether it let visitors in then. Asks its pauses, which are to be fetched beforehand."""
        return bool(
            self.started_at
            and self.started_at <= time
            and (self.ended_at is None or time < self.ended_at)
            and not any(
                p.from_at <= time and (p.until_at is None or time < p.until_at) for p in self.pauses.all()
            )
        )

    def places(self) -> list[Place]:
        """Of content, every page that it is on: its own, and those that are meant besides."""
        own = {Place("equals", v.host + v.path): None for v in self.variants.all()}
        return [*own, *read_places(self.pages)]


class Pause(models.Model):
    """A time in which a running test lets nobody in."""

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE, related_name="pauses")
    from_at = models.DateTimeField()
    until_at = models.DateTimeField(null=True)


class Deed(models.Model):
    """What somebody did with a test, or what Clabo did by itself; its log."""

    class What(models.TextChoices):
        MADE = "made"
        CHANGED = "changed"
        STARTED = "started"
        PAUSED = "paused"
        RESUMED = "resumed"
        ENDED = "ended"
        ENDED_ON_DATE = "ended_on_date"
        ENDED_DECIDED = "ended_decided"
        ENDED_ON_HARM = "ended_on_harm"
        ADOPTED = "adopted"
        HANDED_OVER = "handed_over"
        ARCHIVED = "archived"
        BROUGHT_BACK = "brought_back"
        NOTED = "noted"

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE, related_name="deeds")
    at = models.DateTimeField()
    by = models.ForeignKey(User, on_delete=models.SET_NULL, null=True, related_name="+")
    what = models.CharField(max_length=20, choices=What.choices)

    class Meta:
        ordering = ("at", "pk")


class EditSession(models.Model):
    """An editor that is open on a page: what a link was exchanged for, once. Secrets are kept as SHA-256 alone."""

    ticket = models.CharField(max_length=64, unique=True)
    token = models.CharField(max_length=64, unique=True)
    # A test that is removed meanwhile is told of as such.
    test = models.ForeignKey(
        SplitTest, on_delete=models.DO_NOTHING, related_name="+", db_constraint=False, db_index=False
    )
    letter = models.CharField(max_length=1)
    person = models.ForeignKey(User, on_delete=models.CASCADE, related_name="+")
    origin = models.CharField(max_length=300)
    until = models.DateTimeField(db_index=True)


class Variant(models.Model):
    """One address of a test, or what it changes on the test's one page. Letter A is the control."""

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE, related_name="variants")
    letter = models.CharField(max_length=1)
    host = models.CharField(max_length=260)
    path = models.TextField()
    share = models.PositiveSmallIntegerField()
    # Of a test of content: what is changed (core/splits/changes.py); nothing for the control.
    changes = models.JSONField(default=list, blank=True)
    # How often the page that a visitor was sent to has led back to the control, and when last.
    led_back = models.PositiveIntegerField(default=0, db_default=0)
    led_back_at = models.DateTimeField(null=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("test", "letter"), name="letter_once"),)
        ordering = ("letter",)


class Hindrance(models.Model):
    """Why a page of the test could not show it as meant: how often that was told, and when last."""

    class Why(models.TextChoices):
        # There was no element for the selector, or it could not be moved: these visitors are in no variant.
        MISSING = "missing"
        # The page wrote over the change again and again; its visitors are in their variant.
        OVERWRITTEN = "overwritten"
        # The page had been seen, or was not ready to be changed in time: these visitors are in no variant.
        LATE = "late"

    variant = models.ForeignKey(Variant, on_delete=models.CASCADE, related_name="hindrances")
    why = models.CharField(max_length=12, choices=Why, default=Why.MISSING)
    # Empty where it concerns the whole page.
    selector = models.TextField()
    times = models.PositiveIntegerField(default=0)
    last_at = models.DateTimeField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("variant", "selector", "why"), name="hindered_once"),)


class Exposure(models.Model):
    """A visitor's first sight of their variant; of who is held out, of the page."""

    test = models.ForeignKey(SplitTest, on_delete=models.CASCADE)
    site = models.ForeignKey(Site, on_delete=models.CASCADE, related_name="+", db_index=False)
    visitor = models.ForeignKey(Visitor, on_delete=models.CASCADE, related_name="+")
    letter = models.CharField(max_length=1)
    first_at = models.DateTimeField()
    # Of the site.
    day = models.DateField()
    # The visit that the first sight lies in now; re-stitching may give it another.
    visit = models.ForeignKey(
        Visit, on_delete=models.DO_NOTHING, related_name="+", db_index=False, db_constraint=False
    )

    class Meta:
        constraints = (models.UniqueConstraint(fields=("test", "visitor"), name="exposed_once"),)
        indexes = (models.Index(fields=("test", "day"), name="exposed_by_day"),)


class KeptPicture(models.Model):
    """A picture that variants show, as WebP, under the SHA-256 of what it holds."""

    site = models.ForeignKey(Site, on_delete=models.CASCADE)
    name = models.CharField(max_length=64, db_index=True)
    data = models.BinaryField()
    kept_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "name"), name="picture_kept_once"),)
