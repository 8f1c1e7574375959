"""Distinct visitors of pages under a lens, and those of them who were never there before."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date, timedelta
from itertools import pairwise
from typing import Protocol

import numpy as np
from pyroaring import BitMap

from clabo.collect.events.models import Kind, Visit, Visitor
from clabo.collect.presence.mirror import Snapshot, snapshot
from clabo.collect.presence.models import Atom
from clabo.collect.presence.trails import stamps
from clabo.judge.paths.reading import Atoms, columns, micro
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens


class CountsVisitors(Protocol):
    """A page's row."""

    visitors: int | None
    new_visitors: int | None


def add_visitors(lens: Lens, rows: Mapping[int, CountsVisitors]) -> None:
    """Fill in, by page, who viewed it, and who of them had made no visit before the period."""
    for row in rows.values():
        row.visitors = row.new_visitors = 0
    if not rows:
        return
    if lens.origin == "any" and lens.device is None and lens.people is None:
        _from_index(lens, rows)
    else:
        # An atom does not know what brought the visit that a view is in.
        _from_trails(lens, rows)


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


def _from_trails(lens: Lens, rows: Mapping[int, CountsVisitors]) -> None:
    """The same where it matters which visit a view is in: packed days know that."""
    site, atoms = lens.site, Atoms.of(lens.site.pk)
    # Of the day before, because a visit may go on past midnight.
    days = stamps(site.pk, lens.first - timedelta(days=1), lens.last)
    seen = columns(site, list(days), days)
    pages = atoms.pages[seen.atoms]
    viewed = (pages >= 0) & (seen.times >= micro(site.midnight(lens.first)))
    began = atoms.mask(atoms.arrivals)[seen.atoms]
    chosen = seen.visits[atoms.mask(atoms.arriving(lens))[seen.atoms]]
    # One that has lasted for longer still.
    older = np.setdiff1d(seen.visits[viewed], seen.visits[began])
    also = Visit.objects.filter(lens.of_visits(), in_array("id", older.tolist()), site=site)
    mine = viewed & np.isin(
        seen.visits, np.concatenate([chosen, np.fromiter(also.values_list("id", flat=True), np.int64)])
    )
    if lens.people is not None:
        numbers = Visitor.objects.filter(in_array("id", lens.people.ids)).values_list("number", flat=True)
        mine &= np.isin(seen.people, np.fromiter(numbers, np.int64))
    entered = set(
        Atom.objects.filter(site=site, sort=Atom.Sort.VISIT, page__isnull=False).values_list("id", flat=True)
    )
    before = _union(snapshot(site.pk), entered, None, lens.first - timedelta(days=1))
    order = np.argsort(pages[mine], kind="stable")
    of_page, who = pages[mine][order], seen.people[mine][order]
    bounds = np.flatnonzero(np.diff(of_page, prepend=-1, append=-1))
    for start, end in pairwise(bounds.tolist()):
        if row := rows.get(int(of_page[start])):
            people = BitMap(who[start:end])
            row.visitors, row.new_visitors = len(people), len(people - before)
