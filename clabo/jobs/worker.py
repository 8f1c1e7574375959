"""Runs jobs in a thread of its own, beside the pipeline."""

from __future__ import annotations

import asyncio
import logging
import threading

from procrastinate.contrib.django import app

from clabo.jobs.job import QUEUES

log = logging.getLogger(__name__)

AWAY_SECONDS = 2.0


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
                log.warning("jobs wait (%s); trying again", error)
                self._stopping.wait(AWAY_SECONDS)

    async def _work(self) -> None:
        self._loop, self._task = asyncio.get_running_loop(), asyncio.current_task()
        if self._stopping.is_set():
            return
        own = app.with_connector(app.connector.get_worker_connector())  # type: ignore[attr-defined]  # Django's has it
        async with own.open_async(), asyncio.TaskGroup() as together:
            for queue, at_once in QUEUES.items():
                together.create_task(
                    own.run_worker_async(
                        queues=[queue],
                        concurrency=at_once,
                        install_signal_handlers=False,
                        delete_jobs="successful",
                        shutdown_graceful_timeout=5,
                    )
                )
