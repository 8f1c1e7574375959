"""Group commit: what arrives in the same few milliseconds is written by one insert.

A request is answered only when the insert that holds it is committed. While the database is
away, groups go to files that are fsynced before the answer, and are written once it is back.
"""

from __future__ import annotations

import asyncio
import logging
import os
import time
import uuid
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime
from pathlib import Path

from django.db import DatabaseError, InterfaceError, connection

from clabo.collect.intake import Envelope, pack, unpack
from clabo.collect.models import InboxBatch

log = logging.getLogger(__name__)

MAX_GROUP = 500
MAX_WAITING = 20_000
AWAY = (DatabaseError, InterfaceError)


class Full(Exception):
    """Neither the database nor the disk takes any more; the sender should keep what it has."""


def store(payload: bytes, requests: int) -> None:
    """One inbox row, committed on return."""
    InboxBatch.objects.create(payload=payload, requests=requests, received_at=datetime.now(UTC))


class Spool:
    """Groups on disk, one file each. A file appears whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def write(self, payload: bytes) -> None:
        """Keep `payload` durably; raises Full when the disk refuses."""
        name = f"{time.time_ns():020d}-{uuid.uuid4().hex}"
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            unfinished = self.folder / f".{name}"
            with unfinished.open("wb") as file:
                file.write(payload)
                file.flush()
                os.fsync(file.fileno())
            unfinished.rename(self.folder / name)
            folder = os.open(self.folder, os.O_RDONLY)
            try:
                os.fsync(folder)
            finally:
                os.close(folder)
        except OSError as error:
            raise Full(str(error)) from error

    def files(self) -> list[Path]:
        """What waits, oldest first."""
        if not self.folder.is_dir():
            return []
        return sorted(p for p in self.folder.iterdir() if not p.name.startswith("."))

    def replay(self) -> int:
        """Write what waits into the database and remove it; the number of groups written.

        A crash in between writes a group twice; the pipeline drops repeated events by their id.
        """
        done = 0
        for path in self.files():
            payload = path.read_bytes()
            try:
                requests = len(unpack(payload))
            except ValueError:
                path.rename(path.with_name("." + path.name + ".damaged"))
                log.error("spool file %s is damaged and was set aside", path.name)
                continue
            store(payload, requests)
            path.unlink()
            done += 1
        return done


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
        payload = pack(envelopes)
        if time.monotonic() >= self._away_until:
            try:
                store(payload, len(envelopes))
                return
            except AWAY:
                # Unknown whether it was committed: spooling it again is safe, see Spool.replay.
                log.warning("the database is away; hits go to the spool")
                connection.close()
                self._away_until = time.monotonic() + 1
        self.spool.write(payload)
        self.spooled += len(envelopes)

    def replay(self) -> int:
        """Replay the spool from the writer's own thread's connection; 0 while the database is away."""
        if not self.spool.files():
            return 0
        try:
            return self._thread.submit(self.spool.replay).result()
        except AWAY:
            self._thread.submit(lambda: connection.close()).result()
            return 0
