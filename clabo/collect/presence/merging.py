"""Pieces into days, by the worker."""

from __future__ import annotations

from collections import defaultdict
from datetime import date

import numpy as np
from django.db import connection, transaction
from django.db.models import Max
from pyroaring import BitMap

from clabo.collect.presence.folding import Change, fold
from clabo.collect.presence.models import Atom, DayPresence, Piece
from clabo.platform.db.arrays import in_array

_MERGE_LOCK = 72728
MOST_PIECES = 2000
_CHANGE = ("cleared", "out_atoms", "out_people", "in_atoms", "in_people")


def sites_with_pieces() -> list[int]:
    """Where there is something to merge."""
    return list(Piece.objects.order_by().values_list("site_id", flat=True).distinct())


def merge(site_id: int) -> int:
    """Put a site's pieces into its days; how many. 0 where another is at it.

    A batch writes its pieces under the site's lock, so those that can be seen come before all that cannot.
    """
    with transaction.atomic():
        with connection.cursor() as cursor:
            cursor.execute("SELECT pg_try_advisory_xact_lock(%s, %s)", [_MERGE_LOCK, site_id])
            if not cursor.fetchone()[0]:
                return 0
        pieces = list(Piece.objects.filter(site_id=site_id).order_by("id")[:MOST_PIECES])
        by_day: defaultdict[date, list[Change]] = defaultdict(list)
        for piece in pieces:
            by_day[piece.day].append(Change(*(bytes(getattr(piece, name)) for name in _CHANGE)))
        kept = set(
            Atom.objects.filter(site_id=site_id, sort=Atom.Sort.CONVERSION).values_list("id", flat=True)
        )
        newest = DayPresence.objects.filter(site_id=site_id).aggregate(Max("generation"))["generation__max"]
        for day, changes in by_day.items():
            _merge_day(site_id, day, changes, kept, (newest or 0) + 1)
        Piece.objects.filter(in_array("id", [p.pk for p in pieces])).delete()
    return len(pieces)


def _merge_day(site_id: int, day: date, changes: list[Change], kept: set[int], generation: int) -> None:
    stored = DayPresence.objects.filter(site_id=site_id, day=day)
    if not any(change.cleared for change in changes):
        stored = stored.filter(in_array("atom_id", _named(changes)))
    sets = {
        atom: BitMap.deserialize(bytes(people)) for atom, people in stored.values_list("atom_id", "people")
    }
    changed = fold(sets, changes, lambda atom: atom not in kept)
    rows = []
    for atom in changed:
        sets[atom].run_optimize()
        rows.append(
            DayPresence(
                site_id=site_id, atom_id=atom, day=day, people=sets[atom].serialize(), generation=generation
            )
        )
    DayPresence.objects.bulk_create(
        rows,
        update_conflicts=True,
        unique_fields=["site", "atom", "day"],
        update_fields=["people", "generation"],
    )


def _named(changes: list[Change]) -> set[int]:
    return {
        int(atom)
        for change in changes
        for packed in (change.out_atoms, change.in_atoms)
        for atom in np.unique(np.frombuffer(packed, "<u4"))
    }
