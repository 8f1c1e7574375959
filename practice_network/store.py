"""What the network keeps, in one SQLite file that is nobody else's."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

_TABLES = """
CREATE TABLE IF NOT EXISTS lists (
    id TEXT PRIMARY KEY, name TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS members (
    list TEXT NOT NULL, kind TEXT NOT NULL, hash BLOB NOT NULL, known INTEGER NOT NULL, at REAL NOT NULL,
    PRIMARY KEY (list, kind, hash)
) WITHOUT ROWID;
-- How many came or went by a call, and when that will have been worked in.
CREATE TABLE IF NOT EXISTS population (
    list TEXT NOT NULL, due REAL NOT NULL, members INTEGER NOT NULL, known INTEGER NOT NULL
);
CREATE INDEX IF NOT EXISTS population_of ON population (list, due);
-- Answers already given, so that a call repeated with its key is not done twice.
CREATE TABLE IF NOT EXISTS answers (
    key TEXT PRIMARY KEY, asked TEXT NOT NULL, answer TEXT NOT NULL, at REAL NOT NULL
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS clicks (
    id TEXT PRIMARY KEY, at REAL NOT NULL, day TEXT NOT NULL,
    campaign TEXT NOT NULL, ad_group TEXT NOT NULL, ad TEXT NOT NULL, landing TEXT NOT NULL,
    -- Of clicks that a plan brought: which, and how the network tells people apart.
    plan TEXT NOT NULL DEFAULT '', segment INTEGER, band INTEGER
) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS clicks_of ON clicks (plan);
CREATE TABLE IF NOT EXISTS plans (
    id TEXT PRIMARY KEY, content TEXT NOT NULL, ended REAL, stepped REAL NOT NULL
) WITHOUT ROWID;
-- How far a plan is: the hashes of its people, and an auction.State of theirs, as NumPy writes it.
CREATE TABLE IF NOT EXISTS progress (plan TEXT PRIMARY KEY, day TEXT NOT NULL, state BLOB NOT NULL) WITHOUT ROWID;
-- Whom a plan was shown to, and how often.
CREATE TABLE IF NOT EXISTS reach (
    plan TEXT NOT NULL, line TEXT NOT NULL, creative TEXT NOT NULL, person BLOB NOT NULL, times INTEGER NOT NULL,
    PRIMARY KEY (plan, line, creative, person)
) WITHOUT ROWID;
-- Of each day and line: chances to show the plan, and what became of those that were not taken.
CREATE TABLE IF NOT EXISTS chances (
    plan TEXT NOT NULL, day TEXT NOT NULL, line TEXT NOT NULL,
    chances INTEGER NOT NULL, held INTEGER NOT NULL, capped INTEGER NOT NULL, outbid INTEGER NOT NULL,
    PRIMARY KEY (plan, day, line)
) WITHOUT ROWID;
-- What each line and creative has of a budget that moves, and each move with what it rests on.
CREATE TABLE IF NOT EXISTS shares (
    plan TEXT NOT NULL, what TEXT NOT NULL, id TEXT NOT NULL, share REAL NOT NULL, PRIMARY KEY (plan, what, id)
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS moves (
    plan TEXT NOT NULL, day TEXT NOT NULL, what TEXT NOT NULL, source TEXT NOT NULL, target TEXT NOT NULL, share REAL NOT NULL,
    source_effort REAL NOT NULL, source_conversions INTEGER NOT NULL,
    target_effort REAL NOT NULL, target_conversions INTEGER NOT NULL, chance REAL NOT NULL,
    PRIMARY KEY (plan, day, what)
) WITHOUT ROWID;
-- Conversions of those who only saw an ad and came by themselves; the network counts them as its own.
CREATE TABLE IF NOT EXISTS seen_conversions (
    day TEXT NOT NULL, campaign TEXT NOT NULL, ad_group TEXT NOT NULL, ad TEXT NOT NULL, landing TEXT NOT NULL, n INTEGER NOT NULL,
    PRIMARY KEY (day, campaign, ad_group, ad, landing)
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS conversions (
    name TEXT NOT NULL, event TEXT NOT NULL, revision INTEGER NOT NULL, click TEXT NOT NULL, at REAL NOT NULL,
    value INTEGER, currency TEXT NOT NULL, withdrawn INTEGER NOT NULL,
    PRIMARY KEY (name, event)
) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS conversions_of ON conversions (click);
-- Costs are millionths of the currency.
CREATE TABLE IF NOT EXISTS days (
    day TEXT NOT NULL, campaign TEXT NOT NULL, ad_group TEXT NOT NULL, ad TEXT NOT NULL, landing TEXT NOT NULL,
    impressions INTEGER NOT NULL, clicks INTEGER NOT NULL, cost INTEGER NOT NULL,
    PRIMARY KEY (day, campaign, ad_group, ad, landing)
) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS practice (name TEXT PRIMARY KEY, value REAL NOT NULL) WITHOUT ROWID;
"""


class Store:
    """One connection, used by one thread at a time."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self._connection = sqlite3.connect(path, check_same_thread=False, isolation_level=None)
        self._lock = threading.Lock()
        with self._lock:
            self._connection.execute("PRAGMA journal_mode = WAL")
            self._connection.execute("PRAGMA synchronous = NORMAL")
            self._connection.executescript(_TABLES)

    @contextmanager
    def changing(self) -> Iterator[sqlite3.Connection]:
        """One transaction: whole, or not at all where it raises."""
        with self._lock:
            self._connection.execute("BEGIN IMMEDIATE")
            try:
                yield self._connection
            except BaseException:
                self._connection.execute("ROLLBACK")
                raise
            self._connection.execute("COMMIT")

    def close(self) -> None:
        """Let the file go."""
        with self._lock:
            self._connection.close()
