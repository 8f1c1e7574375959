"""The index of a site as this process keeps it in memory: read once, then only what has changed.

A merge gives the sets that it writes a generation, so a process asks for those that are newer than what it has, together
with what is not merged yet, in one statement.
"""

from __future__ import annotations

import threading
from collections import OrderedDict, defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date

from pyroaring import BitMap

from clabo.collect.presence.folding import Change, fold
from clabo.collect.presence.models import Atom, DayPresence, Piece
from clabo.platform.db.binary import binary_cursor

_READ = f"""
SELECT 0, generation, day, atom_id, people, NULL::bytea, NULL::bytea, NULL::bytea, NULL::bytea
FROM {DayPresence._meta.db_table} WHERE site_id = %s AND generation > %s
UNION ALL
SELECT id, 0, day, 0, cleared, out_atoms, out_people, in_atoms, in_people
FROM {Piece._meta.db_table} WHERE site_id = %s
UNION ALL
SELECT -1, 0, NULL, id, NULL, NULL, NULL, NULL, NULL
FROM {Atom._meta.db_table} WHERE site_id = %s AND sort = {Atom.Sort.CONVERSION.value}
UNION ALL
SELECT -2, 0, NULL, coalesce(max(id), 0), NULL, NULL, NULL, NULL, NULL
FROM {Atom._meta.db_table} WHERE site_id = %s
"""
# Together, of all sites; the least recently asked are forgotten first.
MOST_BYTES = 512 * 1024 * 1024

Days = Mapping[date, Mapping[int, BitMap]]


@dataclass(frozen=True, slots=True)
class Snapshot:
    """The sets of a site at one moment, by day and atom, not to be changed; two with the same stamp are equal."""

    days: Days
    stamp: tuple[int, int]
    # The site's newest atom.
    newest: int


class _Mirror:
    """What this process has of one site. Days are replaced, never changed, so that snapshots stay as they are."""

    def __init__(self, site_id: int) -> None:
        self.site_id = site_id
        self.lock = threading.Lock()
        self.generation = 0
        self.days: dict[date, dict[int, BitMap]] = {}
        self.sizes: dict[tuple[date, int], int] = {}

    def snapshot(self) -> Snapshot:
        with self.lock:
            with binary_cursor() as cursor:
                cursor.execute(_READ, [self.site_id, self.generation, *[self.site_id] * 3])
                rows = cursor.fetchall()
            fresh: defaultdict[date, dict[int, BitMap]] = defaultdict(dict)
            pieces: defaultdict[date, list[tuple[int, Change]]] = defaultdict(list)
            kept: set[int] = set()
            last = newest = 0
            for number, generation, day, atom, *blobs in rows:
                if number == -2:
                    newest = atom
                elif number == -1:
                    kept.add(atom)
                elif number:
                    pieces[day].append((number, Change(*blobs)))
                    last = max(last, number)
                else:
                    fresh[day][atom] = BitMap.deserialize(blobs[0])
                    self.sizes[day, atom] = len(blobs[0])
                    self.generation = max(self.generation, generation)
            for day, sets in fresh.items():
                self.days[day] = self.days.get(day, {}) | sets
            days: dict[date, dict[int, BitMap]] = dict(self.days)
            for day, changes in pieces.items():
                days[day] = dict(days.get(day, {}))
                in_turn = [change for _, change in sorted(changes, key=lambda c: c[0])]
                fold(days[day], in_turn, lambda atom: atom not in kept)
            return Snapshot(days, (self.generation, last), newest)

    @property
    def bytes(self) -> int:
        return sum(self.sizes.values())


_mirrors: OrderedDict[int, _Mirror] = OrderedDict()
_mirrors_lock = threading.Lock()


def snapshot(site_id: int) -> Snapshot:
    """The site's index as it stands now."""
    with _mirrors_lock:
        mirror = _mirrors.setdefault(site_id, _Mirror(site_id))
        _mirrors.move_to_end(site_id)
        while len(_mirrors) > 1 and sum(m.bytes for m in _mirrors.values()) > MOST_BYTES:
            _mirrors.popitem(last=False)
    return mirror.snapshot()


def forget(site_id: int) -> None:
    """Read the site anew when it is asked for next."""
    with _mirrors_lock:
        _mirrors.pop(site_id, None)
