"""Distinct visitors of pages under a lens, and those of them who were never there before."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from typing import Protocol

from django.db.models import Count, Exists, OuterRef
from pyroaring import BitMap

from clabo.conversions.lens import Lens
from clabo.db.arrays import in_array
from clabo.events.models import Event, Kind, TrafficClass, Visit
from clabo.presence.mirror import Snapshot, snapshot
from clabo.presence.models import Atom


class CountsVisitors(Protocol):
    """A page's row."""

    visitors: int | None
    new_visitors: int | None


def add_visitors(lens: Lens, rows: Mapping[int, CountsVisitors]) -> None:
    """Fill in, by page, who viewed it, and who of them had made no visit before the period."""
    for row in rows.values():
        row.visitors = row.new_visitors = 0
    if lens.origin == "any" and lens.device is None and lens.people is None:
        _from_index(lens, rows)
    else:
        # An atom does not know what brought the visit that a view is in.
        _from_events(lens, rows)


def _from_index(lens: Lens, rows: Mapping[int, CountsVisitors]) -> None:
    atoms = Atom.objects.filter(site=lens.site)
    entered = set(atoms.filter(sort=Atom.Sort.VISIT, page__isnull=False).values_list("id", flat=True))
    now = snapshot(lens.site.pk)
    before = _union(now, entered, None, lens.first - timedelta(days=1))
    by_page: dict[int, set[int]] = {}
    viewed = atoms.filter(sort=Atom.Sort.EVENT, kind=Kind.VIEW).filter(in_array("page_id", rows))
    for atom, page in viewed.values_list("id", "page_id"):
        by_page.setdefault(page, set()).add(atom)
    for page, those in by_page.items():
        people = _union(now, those, lens.first, lens.last)
        rows[page].visitors, rows[page].new_visitors = len(people), len(people - before)


def _union(now: Snapshot, atoms: set[int], first: date | None, last: date) -> BitMap:
    sets = [
        people
        for day, by_atom in now.days.items()
        if day <= last and (first is None or day >= first)
        for atom in atoms & by_atom.keys()
        if (people := by_atom[atom])
    ]
    return BitMap.union(*sets) if sets else BitMap()


def _from_events(lens: Lens, rows: Mapping[int, CountsVisitors]) -> None:
    views = (
        Event.objects.in_counted_visits()
        .filter(lens.of_visits("visit__"), lens.of_people(), in_array("page_id", rows))
        .filter(kind=Kind.VIEW, site=lens.site)
        .filter(
            time__gte=lens.site.midnight(lens.first),
            time__lt=lens.site.midnight(lens.last + timedelta(days=1)),
        )
    )
    earlier = Visit.objects.filter(
        site=lens.site,
        visitor_id=OuterRef("visitor_id"),
        day__lt=lens.first,
        traffic_class=TrafficClass.COUNTED,
        views__gt=0,
    )
    everybody = views.values_list("page_id").annotate(n=Count("visitor_id", distinct=True))
    for page_id, n in everybody.order_by():
        rows[page_id].visitors = n
    for page_id, n in everybody.filter(~Exists(earlier)).order_by():
        rows[page_id].new_visitors = n
