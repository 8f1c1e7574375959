"""The visits that a lens looks at, and what happened in them, as columns: packed days, and the tables for the rest."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, datetime, timedelta
from functools import cached_property
from itertools import takewhile
from typing import Any

import numpy as np
from django.db import connection
from django.db.models import BigIntegerField, Count, Max
from django.db.models.functions import Cast, Extract
from numpy.typing import NDArray

from clabo.collect.events.models import Device, Kind, Visitor
from clabo.collect.presence import trails
from clabo.collect.presence.day_columns import Columns, unpacked
from clabo.collect.presence.models import Atom
from clabo.core.audiences import Converted, Happened, What
from clabo.core.paths.walk import NEVER, Whole
from clabo.core.paths.walk import Happened as Rows
from clabo.judge.paths.stretch import Stretch
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.matching.selecting import Inventory, events_met
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import Site
from clabo.use.audiences.evaluation.finding import known_atoms

# Visits whose ids lie so much further apart than there are visits are looked up by search.
_SPARSE = 20


@dataclass(frozen=True, slots=True)
class Journeys:
    """Visits that began on the lens's days and that it looks at, and everything that happened in them.

    A visit is known by its place, from 0 on. `stretches` hold what happened; a visit's events in an earlier one come
    before those in a later one. `people`, `arrivals` and `ids` are one for each visit: the visitor's number, the atom
    that it began with, and its id. `known` are all atoms.
    """

    lens: Lens
    known: Atoms
    stretches: tuple[Stretch, ...]
    people: NDArray[np.uint32]
    arrivals: NDArray[np.uint32]
    ids: Whole

    def __len__(self) -> int:
        return len(self.ids)

    def of_atoms(self, ids: Sequence[int]) -> Rows:
        """When any of these atoms happened in which visit."""
        found = [(s, s.of_atoms(ids)) for s in self.stretches]
        return (
            _together([s.who(some) for s, some in found], np.int64),
            _together([s.times(some) for s, some in found], np.int64),
        )

    def of_visits(self, visits: Whole) -> tuple[Whole, Whole, NDArray[np.uint32]]:
        """Everything that happened in these visits: of which of them (its place among them), when, and the atom.

        In order of these visits, then of time.
        """
        found = [(s, *s.of_visits(visits)) for s in self.stretches]
        which = _together([of for _, of, _ in found], np.int64)
        times = _together([s.times(some) for s, _, some in found], np.int64)
        atoms = _together([s.atoms[some] for s, _, some in found], np.uint32)
        if len(found) > 1:
            order = np.argsort(which, kind="stable")
            which, times, atoms = which[order], times[order], atoms[order]
        return which, times, atoms

    def next_views(self, visits: Whole, after: Whole) -> tuple[Whole, Whole]:
        """When each of these visits viewed a page next after a time of its own, and which; NEVER and -1 for none."""
        viewing = self.known.pages >= 0
        times, pages = np.full(len(visits), NEVER, dtype=np.int64), np.full(len(visits), -1, dtype=np.int64)
        rest = np.arange(len(visits))
        for stretch in self.stretches:
            at = stretch.next_after(visits[rest], after[rest], viewing)
            there, at = rest[at >= 0], at[at >= 0]
            times[there], pages[there] = stretch.times(at), self.known.pages[stretch.atoms[at]]
            rest = rest[pages[rest] < 0]
        return times, pages

    def counts(self) -> Whole:
        """By atom, how many events there are of it."""
        found = np.zeros(self.known.size, dtype=np.int64)
        for stretch in self.stretches:
            counts = stretch.counts()
            found[: len(counts)] += counts
        return found

    def places(self, visits: Whole) -> Whole:
        """The place of each of these visits by id, -1 for those that are not looked at."""
        order = np.argsort(self.ids)
        known = self.ids[order]
        if not len(known):
            return np.full(len(visits), -1, dtype=np.int64)
        low, span = int(known[0]), int(known[-1] - known[0]) + 1
        if span <= _SPARSE * len(known):
            table = np.full(span + 1, -1, dtype=np.int64)
            table[known - low] = order
            inside = (visits >= low) & (visits <= known[-1])
            return np.where(inside, table[np.where(inside, visits - low, span)], -1)
        at = np.minimum(np.searchsorted(known, visits), len(known) - 1)
        return np.where(known[at] == visits, order[at], -1)


MOST_SITES = 50
_atoms: dict[int, tuple[tuple[int, int | None], Atoms]] = {}


class Atoms:
    """What the atoms of a site are, by id."""

    @classmethod
    def of(cls, site_id: int) -> Atoms:
        """Those of a site as they are now. They never change, so that they are read again only where there are new ones."""
        newest = Atom.objects.filter(site=site_id).aggregate(n=Count("id"), last=Max("id"))
        key = (newest["n"], newest["last"])
        known = _atoms.get(site_id)
        if known is None or known[0] != key:
            if len(_atoms) > MOST_SITES:
                _atoms.clear()
            known = _atoms[site_id] = key, cls(site_id)
        return known[1]

    def __init__(self, site_id: int) -> None:
        self.rows = {
            pk: rest
            for pk, *rest in Atom.objects.filter(site=site_id).values_list(
                *("id", "sort", "kind", "page_id", "origin__channel", "origin__source", "device", "first")
            )
        }
        self.size = max(self.rows, default=0) + 1

    def mask(self, ids: list[int]) -> NDArray[np.bool_]:
        """True at these ids."""
        found = np.zeros(self.size, dtype=bool)
        found[[i for i in ids if i < self.size]] = True
        return found

    @cached_property
    def arrivals(self) -> list[int]:
        return [pk for pk, row in self.rows.items() if row[0] == Atom.Sort.VISIT]

    def arriving(self, lens: Lens) -> list[int]:
        """What visits begin with that the lens looks at."""
        kind, _, name = lens.origin.partition(":")
        column = {"channel": 3, "source": 4}.get(kind)
        return [
            pk
            for pk in self.arrivals
            if (column is None or self.rows[pk][column] == name)
            and (lens.device is None or self.rows[pk][5] == lens.device)
        ]

    def viewing(self, pages: Collection[int]) -> list[int]:
        """What views of these pages are."""
        return np.flatnonzero(np.isin(self.pages, list(pages)) & (self.pages >= 0)).tolist()

    @cached_property
    def pages(self) -> Whole:
        """By atom: the page that a view is of; -1 for what is no view."""
        found = np.full(self.size, -1, dtype=np.int64)
        for pk, row in self.rows.items():
            if row[0] == Atom.Sort.EVENT and row[1] == Kind.VIEW:
                found[pk] = row[2]
        return found

    def by(self, what: str) -> dict[int, object]:
        """What visits that began with an atom are told apart by: device, source, channel or landing page."""
        device = {d.value: d.label for d in Device}
        if what == "device":
            return {pk: device[self.rows[pk][5]] for pk in self.arrivals}
        column = {"page": 2, "channel": 3, "source": 4}[what]
        return {pk: self.rows[pk][column] for pk in self.arrivals}


def columns(site: Site, days: Sequence[date], stamps: Mapping[date, trails.Stamp]) -> Columns:
    """Everything that happened on these days: packed days, and the tables for those that are not packed."""
    packed = trails.read(site.pk, [day for day in days if stamps[day].packed])
    several = [packed[day][1] if day in packed else unpacked(site, day) for day in days]
    return Columns(
        _together([c.people for c in several], np.uint32),
        _together([c.times for c in several], np.int64),
        _together([c.atoms for c in several], np.uint32),
        _together([c.visits for c in several], np.int64),
    )


# Of journeys that the process keeps, all sites together; those least recently asked for are forgotten first.
MOST_BYTES = 384 * 1024 * 1024
_journeys: OrderedDict[tuple[Any, ...], Journeys] = OrderedDict()
_lock = threading.Lock()


def journeys(lens: Lens) -> Journeys:
    """Read what the lens looks at. A visit's events may lie on the day after it began.

    What has been read before is kept as long as its days have not changed, of days that are over and of all together.
    """
    last = lens.last + timedelta(days=1)
    stamps = trails.stamps(lens.site.pk, lens.first, last)
    if lens.people is not None:
        return _read(lens, list(stamps), stamps)
    closed = list(takewhile(lambda day: stamps[day].packed and day < last, stamps))
    return _kept(lens, list(stamps), stamps, lambda: _onwards(lens, closed, stamps))


def _onwards(lens: Lens, closed: list[date], stamps: Mapping[date, trails.Stamp]) -> Journeys:
    """Days that are over, as they are kept, and what has come since."""
    rest = [day for day in stamps if day not in set(closed)]
    if not closed or not rest:
        return _read(lens, list(stamps), stamps)
    base = _kept(lens, closed, stamps, lambda: _read(lens, closed, stamps))
    return _read(lens, rest, stamps, base)


def _kept(
    lens: Lens, days: list[date], stamps: Mapping[date, trails.Stamp], read: Callable[[], Journeys]
) -> Journeys:
    site = lens.site
    key = (
        connection.settings_dict["NAME"],
        *(site.pk, site.time_zone, lens.first, lens.last, lens.origin, lens.device),
        tuple((day, stamps[day]) for day in days),
    )
    with _lock:
        if known := _journeys.get(key):
            _journeys.move_to_end(key)
            # The lens may count something else.
            return replace(known, lens=lens)
    found = read()
    with _lock:
        _journeys[key] = found
        while len(_journeys) > 1 and _bytes(_journeys.values()) > MOST_BYTES:
            _journeys.popitem(last=False)
    return found


def _bytes(several: Collection[Journeys]) -> int:
    """What they take; those of fewer days share what they have with those of more."""
    stretches = {id(s): s.bytes for j in several for s in j.stretches}
    return sum(stretches.values()) + sum(
        int(c.nbytes) for j in several for c in (j.people, j.arrivals, j.ids)
    )


def _read(
    lens: Lens, days: list[date], stamps: Mapping[date, trails.Stamp], base: Journeys | None = None
) -> Journeys:
    """These days, after those of `base`."""
    site = lens.site
    seen = columns(site, days, stamps)
    # A day that is not packed may have made some.
    atoms = Atoms.of(site.pk)
    began = atoms.mask(atoms.arrivals)[seen.atoms]
    chosen = atoms.mask(atoms.arriving(lens))[seen.atoms]
    chosen &= seen.times < micro(site.midnight(lens.last + timedelta(days=1)))
    if lens.people is not None:
        numbers = Visitor.objects.filter(in_array("id", lens.people.ids)).values_list("number", flat=True)
        chosen &= np.isin(seen.people, np.fromiter(numbers, np.int64))
    found = Journeys(lens, atoms, (), seen.people[chosen], seen.atoms[chosen], seen.visits[chosen])
    if base is not None:
        # Visits keep their places; those that have begun since come after them.
        found = replace(
            found,
            people=np.concatenate([base.people, found.people]),
            arrivals=np.concatenate([base.arrivals, found.arrivals]),
            ids=np.concatenate([base.ids, found.ids]),
        )
    who = found.places(seen.visits)
    inside = (who >= 0) & ~began
    new = Stretch(who[inside], seen.times[inside], seen.atoms[inside])
    return replace(found, stretches=(*(base.stretches if base is not None else ()), new))


def micro(time: datetime) -> int:
    """Microseconds since 1970."""
    return round(time.timestamp() * 1e6)


def _together(several: list[NDArray[Any]], kind: type[np.generic]) -> NDArray[Any]:
    return np.concatenate(several) if several else np.zeros(0, kind)


def rows_of(what: What, seen: Journeys, known: Inventory) -> Rows:
    """When something happened in which visit."""
    if isinstance(what, Happened):
        ids = known_atoms(what, known, seen.known.size - 1)
        if ids is not None:
            return seen.of_atoms(ids)
    site = seen.lens.site
    events = events_met(site.pk, what.rule, known) if isinstance(what, Happened) else None
    conversion = what.conversion if isinstance(what, Converted) else 0
    at = Cast(Extract("time", "epoch") * 1_000_000, BigIntegerField())
    began = {"time__gte": site.midnight(seen.lens.first), "visit__isnull": False}
    rows = (
        Conversion.objects.reported()
        .filter(site=site, rule_id=conversion, **began)
        .values_list("visit_id", at)
        if events is None
        else events.reported().filter(**began).values_list("visit_id", at)
    )
    found = np.array(list(rows.order_by()), dtype=np.int64).reshape(-1, 2)
    who = seen.places(found[:, 0])
    return who[who >= 0], found[who >= 0, 1]
