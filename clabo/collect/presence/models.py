"""What the index is made of."""

from __future__ import annotations

from django.db import models

from clabo.collect.events.models import Device, Element, Kind, Origin, Page
from clabo.setup.sites.models import Site


class Atom(models.Model):
    """Something that visitors are told apart by: what an event says, what a visit began with, a conversion.

    An event's has kind, page, element and name, so that a rule over these (setup/conversions/matching/selecting.py) holds for
    atoms as it does for events. A visit's has entry page, origin, device and whether it is its visitor's first.
    """

    class Sort(models.IntegerChoices):
        EVENT = 1
        VISIT = 2
        CONVERSION = 3

    id = models.AutoField(primary_key=True)
    # Unchecked foreign keys, as in Event.
    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    sort = models.PositiveSmallIntegerField(choices=Sort.choices)
    kind = models.PositiveSmallIntegerField(choices=Kind.choices, default=0)
    page = models.ForeignKey(
        Page, on_delete=models.CASCADE, null=True, related_name="+", db_index=False, db_constraint=False
    )
    element = models.ForeignKey(
        Element, on_delete=models.CASCADE, null=True, related_name="+", db_index=False, db_constraint=False
    )
    name = models.CharField(max_length=64, blank=True, default="")
    origin = models.ForeignKey(
        Origin, on_delete=models.CASCADE, null=True, related_name="+", db_index=False, db_constraint=False
    )
    device = models.PositiveSmallIntegerField(choices=Device.choices, default=0)
    first = models.BooleanField(default=False)
    # A rule's id.
    conversion = models.PositiveBigIntegerField(null=True)

    class Meta:
        constraints = (
            models.UniqueConstraint(
                fields=(
                    *("site", "sort", "kind", "page", "element", "name"),
                    *("origin", "device", "first", "conversion"),
                ),
                name="atom_once",
                nulls_distinct=False,
            ),
        )
        indexes = (models.Index(fields=("site", "id"), name="atom_by_site"),)


class DayPresence(models.Model):
    """Whom an atom concerned on a day of the site: visitor numbers as a serialised roaring bitmap, which may be empty.

    `generation` counts the site's merges: mirror.py asks for what is newer than what it has.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    atom = models.ForeignKey(Atom, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    day = models.DateField()
    people = models.BinaryField()
    generation = models.PositiveIntegerField()

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "atom", "day"), name="presence_once"),)
        indexes = (
            models.Index(fields=("site", "day"), name="presence_by_day"),
            models.Index(fields=("site", "generation"), name="presence_by_generation"),
        )


class Piece(models.Model):
    """What one batch changed of one day, until merging.py puts it into DayPresence. Pieces apply in the order of ids.

    First `cleared` visitors (a bitmap) leave all atoms of events and visits, then pairs of atom and visitor number
    (arrays of uint32) are taken out, then others put in.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    day = models.DateField()
    cleared = models.BinaryField(default=b"")
    out_atoms = models.BinaryField(default=b"")
    out_people = models.BinaryField(default=b"")
    in_atoms = models.BinaryField(default=b"")
    in_people = models.BinaryField(default=b"")

    class Meta:
        indexes = (models.Index(fields=("site", "day"), name="piece_by_day"),)


class Trail(models.Model):
    """A day's events, visits and conversions in order, for what sets cannot tell (trails.py).

    Every day on which anything happened has a row. `data` is None while it has to be packed anew: the day is open, or
    something of it has changed since.
    """

    site = models.ForeignKey(Site, on_delete=models.CASCADE, db_index=False, db_constraint=False)
    day = models.DateField()
    data = models.BinaryField(null=True)
    # How often it has been packed: whoever keeps something of it knows by this whether that still holds.
    version = models.PositiveIntegerField(default=0, db_default=0)
    # How often something of the day has changed.
    changes = models.PositiveBigIntegerField(default=0, db_default=0)

    class Meta:
        constraints = (models.UniqueConstraint(fields=("site", "day"), name="trail_once"),)
