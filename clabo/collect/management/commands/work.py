"""The worker process."""

from __future__ import annotations

import logging
import signal
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand
from django.db import InterfaceError, OperationalError, connection
from django.utils.module_loading import import_string

from clabo.collect import pipeline

log = logging.getLogger(__name__)

IDLE_SECONDS = 0.25


class Command(BaseCommand):
    """Runs the pipeline, and between batches what else has been asked for."""

    help = "Process received hits and recounts until stopped."

    def handle(self, *args: Any, **options: Any) -> None:
        stopping = False

        def stop(*_: Any) -> None:
            nonlocal stopping
            stopping = True

        signal.signal(signal.SIGTERM, stop)
        signal.signal(signal.SIGINT, stop)
        chores = [import_string(path) for path in settings.CLABO_WORKER_CHORES]
        while not stopping:
            try:
                busy = pipeline.run_once() >= 0
                for chore in chores:
                    busy = chore() or busy
                if not busy:
                    time.sleep(IDLE_SECONDS)
            except (OperationalError, InterfaceError) as error:
                log.warning("the database is away (%s); trying again", error)
                connection.close()
                time.sleep(1)
            except Exception:
                log.exception("a batch failed and will be tried again")
                time.sleep(2)
