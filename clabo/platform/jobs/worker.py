"""Runs jobs in a thread of its own, beside the pipeline.

A worker of procrastinate has tasks of its own (what defers by the clock, what listens, its heartbeat). Where one of them
dies, as it does when the database goes, the worker stops: then all are begun anew, and so they are where nothing was
deferred by the clock for minutes although the database answers.
"""

from __future__ import annotations

import asyncio
import logging
import threading
import time
from contextlib import suppress

from asgiref.sync import sync_to_async
from django.db import DatabaseError, InterfaceError, connection, connections
from procrastinate import App
from procrastinate.contrib.django import app

from clabo.platform.jobs.job import QUEUES
from clabo.platform.jobs.queries import last_deferral

log = logging.getLogger(__name__)

AWAY_SECONDS = 2.0
# Something is due by the clock every minute.
LOOK_SECONDS, SILENT_SECONDS = 20.0, 150.0


class Stopped(Exception):
    """A worker has ended although nobody asked it to."""


class JobWorker:
    """Takes jobs until it is stopped; starts anew when the database has been away."""

    def __init__(self) -> None:
        self._stopping = threading.Event()
        self._thread = threading.Thread(target=self._run, name="jobs", daemon=True)
        self._loop: asyncio.AbstractEventLoop | None = None
        self._task: asyncio.Task[None] | None = None

    def start(self) -> None:
        """Begin."""
        self._thread.start()

    def stop(self, seconds: float = 8.0) -> None:
        """Finish what is under way, for so long, and take nothing more."""
        self._stopping.set()
        if self._loop and self._task:
            # Between two beginnings there is none to be told.
            with suppress(RuntimeError):
                self._loop.call_soon_threadsafe(self._task.cancel)
        if self._thread.ident:
            self._thread.join(seconds)

    def _run(self) -> None:
        while not self._stopping.is_set():
            try:
                asyncio.run(self._work())
            except asyncio.CancelledError:
                pass
            except Exception as error:
                if self._stopping.is_set():
                    return
                log.warning("jobs wait (%s); trying again", _reason(error))
                self._stopping.wait(AWAY_SECONDS)

    async def _work(self) -> None:
        self._loop, self._task = asyncio.get_running_loop(), asyncio.current_task()
        if self._stopping.is_set():
            return
        # What defers by the clock does so over Django's connection of a thread of its own, which may have been cut.
        await sync_to_async(connections.close_all)()
        own = app.with_connector(app.connector.get_worker_connector())  # type: ignore[attr-defined]  # Django's has it
        async with own.open_async(), asyncio.TaskGroup() as together:
            for queue, at_once in QUEUES.items():
                together.create_task(self._queue(own, queue, at_once))
            together.create_task(self._watch())

    async def _queue(self, own: App, queue: str, at_once: int) -> None:
        await own.run_worker_async(
            queues=[queue],
            concurrency=at_once,
            install_signal_handlers=False,
            delete_jobs="successful",
            shutdown_graceful_timeout=5,
        )
        # It returns where it was told to stop, or where something of it has died: the others end with it then.
        if not self._stopping.is_set():
            raise Stopped(f"the worker of the queue {queue} has stopped")

    async def _watch(self) -> None:
        """End all where nothing has been deferred by the clock for long."""
        began = time.time()
        while True:
            await asyncio.sleep(LOOK_SECONDS)
            last = max(began, await asyncio.to_thread(_last_deferral))
            if time.time() - last > SILENT_SECONDS:
                raise Stopped(f"nothing was deferred by the clock for {time.time() - last:.0f} seconds")


def _last_deferral() -> float:
    """When something was last deferred by the clock, in seconds since 1970; now where the database does not say."""
    try:
        at = last_deferral()
    except (DatabaseError, InterfaceError):
        return time.time()
    finally:
        connection.close()
    return at.timestamp() if at else 0.0


def _reason(error: BaseException) -> str:
    return "; ".join(map(_reason, error.exceptions)) if isinstance(error, BaseExceptionGroup) else repr(error)
