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
from collections import defaultdict
from collections.abc import Iterable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path

from django.db import DatabaseError, InterfaceError, connection

from clabo.ingest.beacon import Envelope, pack, unpack
from clabo.ingest.models import InboxBatch
from clabo.logs import Seldom

log = logging.getLogger(__name__)

MAX_GROUP = 500
MAX_WAITING = 20_000
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


def store(envelopes: Iterable[Envelope]) -> None:
    """One inbox row a site, by one insert, committed on return."""
    _store([(site_id, pack(own), len(own)) for site_id, own in _by_site(envelopes).items()])


def _store(rows: Iterable[tuple[int, bytes, int]]) -> None:
    now = datetime.now(UTC)
    InboxBatch.objects.bulk_create(
        [InboxBatch(site_id=s, payload=payload, requests=n, received_at=now) for s, payload, n in rows]
    )


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
    """Collects envelopes on the event loop and commits them from one thread."""

    def __init__(self, spool: Spool) -> None:
        self.spool = spool
        self.accepted = 0
        self.spooled = 0
        self._waiting: list[tuple[Envelope, asyncio.Future[None]]] = []
        self._thread = ThreadPoolExecutor(1, thread_name_prefix="inbox")
        self._writing = False
        self._away_until = 0.0

    def put(self, envelope: Envelope) -> asyncio.Future[None]:
        """Done once `envelope` is committed or spooled; raises Full, now or when awaited, when it is neither."""
        if len(self._waiting) >= MAX_WAITING:
            raise Full("too many requests are waiting")
        loop = asyncio.get_running_loop()
        committed: asyncio.Future[None] = loop.create_future()
        self._waiting.append((envelope, committed))
        if not self._writing:
            self._writing = True
            loop.call_soon(self._next)
        return committed

    def _next(self) -> None:
        group, self._waiting = self._waiting[:MAX_GROUP], self._waiting[MAX_GROUP:]
        if not group:
            self._writing = False
            return
        loop = asyncio.get_running_loop()
        write = loop.run_in_executor(self._thread, self._commit, [g[0] for g in group])
        write.add_done_callback(lambda done: self._answer(group, done))

    def _answer(self, group: list[tuple[Envelope, asyncio.Future[None]]], done: asyncio.Future[None]) -> None:
        error = done.exception()
        for _, committed in group:
            if committed.done():  # the sender hung up
                continue
            if error:
                committed.set_exception(error if isinstance(error, Full) else Full(str(error)))
            else:
                committed.set_result(None)
        if not error:
            self.accepted += len(group)
        self._next()

    def _commit(self, envelopes: list[Envelope]) -> None:
        if time.monotonic() >= self._away_until:
            try:
                store(envelopes)
                return
            except AWAY:
                # Unknown whether it was committed: spooling it again is safe, see Spool.replay.
                _away("the database is away; hits go to the spool")
                connection.close()
                self._away_until = time.monotonic() + 1
        self.spool.write(envelopes)
        self.spooled += len(envelopes)

    def replay(self) -> int:
        """Replay the spool from the calling thread, on its own connection; 0 while the database is away."""
        if not self.spool.files():
            return 0
        try:
            return self.spool.replay()
        except AWAY:
            connection.close()
            return 0
