"""How many a plan was shown to, how often, by which line and creative: whoever has left since, or bought, has been reached all the same.

People are kept by a mark that only this plan has of them: who is taken off every list is named nowhere.
"""

from __future__ import annotations

import sqlite3
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass
from hashlib import blake2b


@dataclass(frozen=True, slots=True)
class Reach:
    """How many people a line showed a creative to, and how often in all; "" stands for all lines, or all creatives.

    Somebody whom two lines have shown it, or who has seen two creatives, is counted with each, and once in the whole.
    """

    line: str
    creative: str
    people: int
    times: int


def note(db: sqlite3.Connection, plan_id: str, seen: Iterable[tuple[str, str, bytes]]) -> None:
    """Write down who has seen it: line, creative, person, once for each time."""
    db.executemany(
        "INSERT INTO reach VALUES (?, ?, ?, ?, ?) ON CONFLICT DO UPDATE SET times = times + excluded.times",
        [
            (plan_id, line, creative, _mark(plan_id, person), times)
            for (line, creative, person), times in Counter(seen).items()
        ],
    )


def of_plan(db: sqlite3.Connection, plan_id: str) -> list[Reach]:
    """Of the whole first; then by line, by creative, and by both."""
    found = []
    for line, creative in (("''", "''"), ("line", "''"), ("''", "creative"), ("line", "creative")):
        rows = db.execute(
            f"SELECT {line}, {creative}, count(DISTINCT person), sum(times) FROM reach WHERE plan = ? GROUP BY 1, 2 ORDER BY 1, 2",
            (plan_id,),
        )
        found += [Reach(*row) for row in rows]
    return found


def often(db: sqlite3.Connection, plan_id: str, known: Iterable[bytes], most: int) -> list[int]:
    """How many of those `known` now, and of those who were shown it, have seen it 0, 1, 2 … times, the last: `most` or more."""
    found = [0] * (most + 1)
    seen = set()
    for person, times in db.execute(
        "SELECT person, sum(times) FROM reach WHERE plan = ? GROUP BY 1", (plan_id,)
    ):
        seen.add(person)
        found[min(times, most)] += 1
    found[0] = sum(_mark(plan_id, person) not in seen for person in known)
    return found


def _mark(plan_id: str, person: bytes) -> bytes:
    return blake2b(person, digest_size=16, key=plan_id.encode()[:64]).digest()
