"""The worker process."""

from __future__ import annotations

import logging
import signal
import threading
from collections.abc import Callable
from typing import Any

from django.core.management.base import BaseCommand
from django.db import connection

from clabo.collect.pipeline import owing, runner
from clabo.platform.jobs.worker import JobWorker

log = logging.getLogger(__name__)

IDLE_SECONDS = 0.25
AWAY_SECONDS = 1.0
FAILED_SECONDS = 2.0


class Command(BaseCommand):
    """Runs the pipeline, and beside it, so that hits never wait for it, what else has been asked for."""

    help = "Process received hits and recounts until stopped."
    # The server has looked at everything when it started, and hits wait for the worker.
    requires_system_checks: list[str] = []

    def handle(self, *args: Any, **options: Any) -> None:
        stopping = threading.Event()
        for each in (signal.SIGTERM, signal.SIGINT):
            signal.signal(each, lambda *_: stopping.set())
        owed = threading.Thread(target=_loop, args=(owing.retry_owed, stopping), name="owed", daemon=True)
        jobs = JobWorker()
        owed.start()
        jobs.start()
        _loop(lambda: runner.run_once() >= 0, stopping)
        jobs.stop()
        owed.join(5)


def _loop(work: Callable[[], bool], stopping: threading.Event) -> None:
    """Do `work` again and again, with a pause where there was nothing to do."""
    while not stopping.is_set():
        busy = False
        try:
            busy = work()
        except Exception as error:
            if runner.is_away(error):
                log.warning("the database is away (%s); trying again", error)
                stopping.wait(AWAY_SECONDS)
            else:
                log.exception("something failed and will be tried again")
                stopping.wait(FAILED_SECONDS)
            connection.close()
        if not busy:
            stopping.wait(IDLE_SECONDS)
