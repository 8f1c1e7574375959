"""Group commit: what arrives in the same few milliseconds is written by one insert.

A request is answered only when the insert that holds it is committed. While the database is
away, groups go to files that are fsynced before the answer, and are written once it is back,
by another thread than the one that new hits wait for.
"""

from __future__ import annotations

import asyncio
import fcntl
import logging
import os
import time
import uuid
from collections import defaultdict, deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path
from struct import Struct

import psycopg
from django.db import DatabaseError, InterfaceError, connection
from psycopg.pq import ExecStatus, Format
from psycopg.pq.abc import PGresult

from clabo.collect.ingest.beacon import Envelope, pack, unpack
from clabo.collect.ingest.models import InboxBatch
from clabo.platform.logs import Seldom

log = logging.getLogger(__name__)

MAX_GROUP = 500
MAX_WAITING = 20_000
# So many groups are being committed at a time: while one waits for the disk, the next is on its way.
WRITERS = 2
AWAY = (DatabaseError, InterfaceError)
# So much of the spool goes into one insert, and so long new hits have the database for themselves after it.
REPLAY_BYTES = 2_000_000
REPLAY_FILES = 500
REPLAY_PAUSE = 0.02
# A file that is still unfinished after so long was left by a process that died over it.
UNFINISHED_SECONDS = 60


class Full(Exception):
    """Neither the database nor the disk takes any more; the sender should keep what it has."""


_away = Seldom(log.warning)


def _by_site(envelopes: Iterable[Envelope]) -> dict[int, list[Envelope]]:
    found: defaultdict[int, list[Envelope]] = defaultdict(list)
    for envelope in envelopes:
        found[envelope.site_id].append(envelope)
    return found


# One site's part of a group: its id, the packed requests, their number.
Row = tuple[int, bytes, int]


def _rows(envelopes: Iterable[Envelope]) -> list[Row]:
    return [(site_id, pack(own), len(own)) for site_id, own in _by_site(envelopes).items()]


def store(envelopes: Iterable[Envelope]) -> None:
    """One inbox row a site, by one insert, committed on return."""
    _store(_rows(envelopes))


def _store(rows: Iterable[Row]) -> None:
    now = datetime.now(UTC)
    InboxBatch.objects.bulk_create(
        [InboxBatch(site_id=s, payload=payload, requests=n, received_at=now) for s, payload, n in rows]
    )


class Writer:
    """Inserts rows by one prepared statement on a connection of its own, committed on return.

    Neither the ORM nor a cursor: together they took a quarter of the collector's time, and no other path is as hot.
    """

    _ROW = (
        b"INSERT INTO ingest_inboxbatch (site_id, payload, requests, received_at) VALUES ($1, $2, $3, now())"
    )
    # bigint, bytea, integer (pg_type.dat), all of them sent as bytes.
    _TYPES, _BINARY = (20, 17, 23), (Format.BINARY,) * 3
    _FROM_DJANGO = ("dbname", "user", "password", "host", "port", "options", "connect_timeout")

    def __init__(self) -> None:
        self._connection: psycopg.Connection[tuple[()]] | None = None

    def write(self, rows: Sequence[Row]) -> None:
        """Insert and commit; raises psycopg.Error, after which the next call connects anew."""
        try:
            if self._connection is None:
                stated = connection.get_connection_params()
                wanted = {key: stated[key] for key in self._FROM_DJANGO if key in stated}
                self._connection = psycopg.connect(**wanted, autocommit=True)
                self._do(self._connection.pgconn.prepare(b"row", self._ROW, self._TYPES))
            connected = self._connection.pgconn
            if len(rows) > 1:
                self._do(connected.exec_(b"BEGIN"))
            for site_id, payload, requests in rows:
                values = [_BIGINT(site_id), payload, _INTEGER(requests)]
                self._do(connected.exec_prepared(b"row", values, self._BINARY))
            if len(rows) > 1:
                self._do(connected.exec_(b"COMMIT"))
        except psycopg.Error:
            self.close()
            raise

    @staticmethod
    def _do(done: PGresult) -> None:
        if done.status != ExecStatus.COMMAND_OK:
            raise psycopg.errors.error_from_result(done)

    def close(self) -> None:
        """Give the connection up."""
        if self._connection is not None:
            self._connection.close()
            self._connection = None


_BIGINT, _INTEGER = Struct(">q").pack, Struct(">i").pack


class Spool:
    """Groups on disk, one file for each site in one. A file appears whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def write(self, envelopes: Iterable[Envelope]) -> None:
        """Keep `envelopes` durably; raises Full when the disk refuses."""
        unfinished: list[tuple[Path, Path]] = []
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            for site_id, own in _by_site(envelopes).items():
                name = f"{time.time_ns():020d}-{site_id}-{len(own)}-{uuid.uuid4().hex}"
                unfinished.append((self.folder / f".{name}", self.folder / name))
                with unfinished[-1][0].open("wb") as file:
                    file.write(pack(own))
                    file.flush()
                    os.fsync(file.fileno())
            for before, after in unfinished:
                before.rename(after)
            folder = os.open(self.folder, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
        except OSError as error:
            for before, _ in unfinished:
                with suppress(OSError):
                    before.unlink(missing_ok=True)
            raise Full(str(error)) from error

    def files(self) -> list[Path]:
        """What waits, oldest first."""
        if not self.folder.is_dir():
            return []
        return sorted(p for p in self.folder.iterdir() if not p.name.startswith("."))

    def replay(self, seconds: float = 5.0) -> int:
        """Write what waits into the database and remove it, for so long; the number of hits written.

        Some at a time and with pauses, for new hits come first. A crash in between writes a group twice; the pipeline
        drops repeated events by their id. One process replays at a time.
        """
        done, until = 0, time.monotonic() + seconds
        with self._alone() as alone:
            if not alone:
                return 0
            self._sweep()
            for some in self._portions():
                rows = [row for path in some if (row := self._read(path))]
                _store(rows)
                for path in some:
                    path.unlink(missing_ok=True)
                done += sum(row[2] for row in rows)
                if time.monotonic() >= until:
                    break
                time.sleep(REPLAY_PAUSE)
        return done

    def _portions(self) -> Iterator[list[Path]]:
        some: list[Path] = []
        size = 0
        for path in self.files():
            size += path.stat().st_size
            some.append(path)
            if size >= REPLAY_BYTES or len(some) >= REPLAY_FILES:
                yield some
                some, size = [], 0
        if some:
            yield some

    def _read(self, path: Path) -> tuple[int, bytes, int] | None:
        """Site, payload and number of requests of a file; one that cannot be read is put away."""
        payload = path.read_bytes()
        try:
            envelopes = unpack(payload)
            (site_id,) = {e.site_id for e in envelopes}
        except ValueError:
            path.rename(path.with_name("." + path.name + ".damaged"))
            log.error("spool file %s is damaged and was set aside", path.name)
            return None
        return site_id, payload, len(envelopes)

    def _sweep(self) -> None:
        """Remove what a process left unfinished: nothing of it was ever acknowledged."""
        old = time.time() - UNFINISHED_SECONDS
        for path in self.folder.iterdir():
            if path.name.startswith(".") and path.name[1:2].isdigit() and not path.name.endswith(".damaged"):
                with suppress(OSError):
                    if path.stat().st_mtime < old:
                        path.unlink()

    @contextmanager
    def _alone(self) -> Iterator[bool]:
        if not self.folder.is_dir():
            yield False
            return
        lock = os.open(self.folder.with_name(self.folder.name + ".lock"), os.O_CREAT | os.O_RDWR, 0o600)
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            yield False
        else:
            yield True
        finally:
            os.close(lock)


class Inbox:
    """Collects envelopes on the event loop and commits them from a few threads."""

    def __init__(self, spool: Spool) -> None:
        self.spool = spool
        self.accepted = 0
        self.spooled = 0
        # Those that nobody writes with at the moment.
        self._writers: deque[Writer] = deque()
        self._waiting: list[tuple[Envelope, Callable[[Full | None], None]]] = []
        self._threads = ThreadPoolExecutor(WRITERS, thread_name_prefix="inbox")
        self._writing = 0
        self._away_until = 0.0

    def put(self, envelope: Envelope, answered: Callable[[Full | None], None]) -> None:
        """Call `answered` once `envelope` is committed or spooled, or is neither; raises Full where too many wait."""
        if len(self._waiting) >= MAX_WAITING:
            raise Full("too many requests are waiting")
        self._waiting.append((envelope, answered))
        if self._writing < WRITERS:
            # What arrives in the same turn of the loop goes along.
            self._writing += 1
            asyncio.get_running_loop().call_soon(self._next)

    def keep(self, envelope: Envelope) -> asyncio.Future[None]:
        """Done once `envelope` is committed or spooled; raises Full, now or when awaited, when it is neither."""
        kept: asyncio.Future[None] = asyncio.get_running_loop().create_future()

        def answered(full: Full | None) -> None:
            if kept.done():  # the sender hung up
                return
            if full:
                kept.set_exception(full)
            else:
                kept.set_result(None)

        self.put(envelope, answered)
        return kept

    def _next(self) -> None:
        group, self._waiting = self._waiting[:MAX_GROUP], self._waiting[MAX_GROUP:]
        if not group:
            self._writing -= 1
            return
        loop = asyncio.get_running_loop()
        write = loop.run_in_executor(self._threads, self._commit, [g[0] for g in group])
        write.add_done_callback(lambda done: self._answer([g[1] for g in group], done))

    def _answer(self, group: list[Callable[[Full | None], None]], done: asyncio.Future[None]) -> None:
        # What has come meanwhile is written while these are answered.
        self._next()
        error = done.exception()
        full = None if error is None else error if isinstance(error, Full) else Full(str(error))
        if full is None:
            self.accepted += len(group)
        for answered in group:
            try:
                answered(full)
            except Exception:
                log.exception("an answer could not be given")

    def _commit(self, envelopes: list[Envelope]) -> None:
        if time.monotonic() >= self._away_until:
            try:
                writer = self._writers.pop() if self._writers else Writer()
                try:
                    writer.write(_rows(envelopes))
                finally:
                    self._writers.append(writer)
                return
            except psycopg.Error:
                # Unknown whether it was committed: spooling it again is safe, see Spool.replay.
                _away("the database is away; hits go to the spool")
                self._away_until = time.monotonic() + 1
        self.spool.write(envelopes)
        self.spooled += len(envelopes)

    def close(self) -> None:
        """Give up the connections, once what was taken in is written."""
        self._threads.shutdown()
        for writer in self._writers:
            writer.close()
        self._writers.clear()
        self._threads = ThreadPoolExecutor(WRITERS, thread_name_prefix="inbox")

    def replay(self) -> int:
        """Replay the spool from the calling thread, on its own connection; 0 while the database is away."""
        if not self.spool.files():
            return 0
        try:
            return self.spool.replay()
        except AWAY:
            connection.close()
            return 0
