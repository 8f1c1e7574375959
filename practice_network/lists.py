"""Lists of people: what is put on them, whom of those the network knows, and how far it has come with it."""

from __future__ import annotations

import random
import sqlite3
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

# Of all people, the network knows so many of 256.
KNOWN_OF_256 = 161


class Member(NamedTuple):
    """A hashed identity."""

    kind: str
    hash: bytes


@dataclass(frozen=True, slots=True)
class ListState:
    """A list as it stands: what is on it, whom the network knows, and whether it is still being worked in."""

    id: str
    name: str
    members: int
    known: int
    ready: bool
    as_of: float


def is_known(member: Member) -> bool:
    """Whether the network has such a person: the same answer every time, and the same for everybody who asks."""
    return member.hash[-1] < KNOWN_OF_256


def change(
    db: sqlite3.Connection,
    list_id: str,
    name: str,
    add: Sequence[Member],
    remove: Sequence[Member],
    refuse: float,
    population: float,
) -> list[Member]:
    """Put people on a list and take others off; those who are to be sent again, as the switch has it, by chance."""
    now = time.time()
    db.execute(
        "INSERT INTO lists VALUES (?, ?) ON CONFLICT (id) DO UPDATE SET name = excluded.name", (list_id, name)
    )
    refused = [m for m in (*add, *remove) if refuse and random.random() < refuse]
    left_out = set(refused)
    put = [(list_id, *m, is_known(m), now) for m in add if m not in left_out]
    before = db.total_changes
    db.executemany("INSERT OR IGNORE INTO members VALUES (?, ?, ?, ?, ?)", put)
    came = db.total_changes - before
    gone = 0
    for member in remove:
        if member not in left_out:
            gone += db.execute(
                "DELETE FROM members WHERE list = ? AND kind = ? AND hash = ?", (list_id, *member)
            ).rowcount
    if came or gone:
        # Whom it knows is worked out with all others of the list, once they are due.
        db.execute("INSERT INTO population VALUES (?, ?, ?, 0)", (list_id, now + population, came - gone))
    return refused


def states(db: sqlite3.Connection) -> list[ListState]:
    """All lists, as far as they are worked in by now."""
    now = time.time()
    found = []
    for list_id, name in db.execute("SELECT id, name FROM lists ORDER BY name, id").fetchall():
        waiting = db.execute(
            "SELECT coalesce(sum(members), 0), count(*) FROM population WHERE list = ? AND due > ?",
            (list_id, now),
        ).fetchone()
        members, known = db.execute(
            "SELECT count(*), coalesce(sum(known), 0) FROM members WHERE list = ?", (list_id,)
        ).fetchone()
        # Of those who are not worked in yet as many are known as of the rest.
        done = max(0, members - max(0, waiting[0]))
        found.append(
            ListState(
                list_id,
                name,
                members,
                round(known * done / members) if members else 0,
                not waiting[1],
                now,
            )
        )
        db.execute("DELETE FROM population WHERE list = ? AND due <= ?", (list_id, now))
    return found


def remove_list(db: sqlite3.Connection, list_id: str) -> None:
    """Take a list away with all who are on it."""
    for table, column in (("lists", "id"), ("members", "list"), ("population", "list")):
        db.execute(f"DELETE FROM {table} WHERE {column} = ?", (list_id,))
