"""Reading the index: sets of visitor numbers by atom and day, with what is not merged yet."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from datetime import date

from pyroaring import BitMap

from clabo.db.binary import binary_cursor
from clabo.presence.folding import Change, fold
from clabo.presence.models import DayPresence, Piece

# One statement, so that no merge comes between what is merged and what is not.
_READ = f"""
SELECT 0, day, atom_id, people, NULL::bytea, NULL::bytea, NULL::bytea, NULL::bytea
FROM {DayPresence._meta.db_table} WHERE site_id = %s AND atom_id = ANY(%s) AND day BETWEEN %s AND %s
UNION ALL
SELECT id, day, 0, cleared, out_atoms, out_people, in_atoms, in_people
FROM {Piece._meta.db_table} WHERE site_id = %s AND day BETWEEN %s AND %s
"""


def by_day(
    site_id: int, atoms: Collection[int], kept: Collection[int], first: date, last: date
) -> dict[date, dict[int, BitMap]]:
    """For each day from `first` to `last` that has any, the sets of `atoms`.

    `kept`: those of them that clearing does not concern, which are conversions'.
    """
    if not atoms:
        return {}
    with binary_cursor() as cursor:
        cursor.execute(_READ, [site_id, list(atoms), first, last, site_id, first, last])
        rows = cursor.fetchall()
    found: defaultdict[date, dict[int, BitMap]] = defaultdict(dict)
    pieces: defaultdict[date, list[tuple[int, Change]]] = defaultdict(list)
    for number, day, atom, *blobs in rows:
        if number:
            pieces[day].append((number, Change(*map(bytes, blobs))))
        else:
            found[day][atom] = BitMap.deserialize(bytes(blobs[0]))
    wanted, spared = set(atoms), set(kept)
    for day, changes in pieces.items():
        in_turn = [change for _, change in sorted(changes, key=lambda c: c[0])]
        fold(found[day], in_turn, lambda atom: atom not in spared, wanted)
    return dict(found)
