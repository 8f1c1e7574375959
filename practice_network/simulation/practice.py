"""What can be made to go wrong, so that those who use the network can practise it."""

from __future__ import annotations

import threading
import time
from dataclasses import asdict, dataclass, fields

from practice_network.store import Store


@dataclass(frozen=True, slots=True)
class Practice:
    """The switches. `away` answers 503 to all; `slow` waits so many seconds; `refuse` is the share of items that are
    to be sent again; `calls` a second are allowed, more are answered 429; a list is worked in after `population` seconds.
    """

    away: bool = False
    slow: float = 0.0
    refuse: float = 0.0
    calls: float = 20.0
    population: float = 8.0


def read(store: Store) -> Practice:
    """How the switches stand."""
    with store.changing() as db:
        kept = dict(db.execute("SELECT name, value FROM practice").fetchall())
    plain = Practice()
    found = {f.name: kept.get(f.name, getattr(plain, f.name)) for f in fields(Practice)}
    return Practice(bool(found.pop("away")), **found)


def write(store: Store, practice: Practice) -> None:
    """Turn them."""
    with store.changing() as db:
        rows = [(name, float(value)) for name, value in asdict(practice).items()]
        db.executemany("INSERT OR REPLACE INTO practice VALUES (?, ?)", rows)


class Allowance:
    """A bucket of calls that fills as time goes by (token bucket): a second's worth may come at once."""

    def __init__(self) -> None:
        self._left, self._at = 0.0, 0.0
        self._lock = threading.Lock()

    def wait(self, a_second: float) -> float:
        """Take one call, and 0; or the seconds until there is one."""
        with self._lock:
            now = time.monotonic()
            self._left = min(max(a_second, 1.0), self._left + (now - self._at) * a_second)
            self._at = now
            if self._left >= 1:
                self._left -= 1
                return 0.0
            return (1 - self._left) / a_second if a_second else 60.0
