"""When Clabo itself was there to take hits in, so that its own absence is not taken for a page's silence."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta

from clabo.collect.ingest.models import Attendance

Span = tuple[datetime, datetime]
NOTED_EVERY = 30.0
KEPT = timedelta(weeks=10)


class Attending:
    """One server process, noting from time to time that it is there.

    While the database is away hits are spooled: the process is there all the same, and says so afterwards.
    """

    def __init__(self) -> None:
        self._since = datetime.now(UTC)
        self._row: int | None = None
        self._noted_at = 0.0

    def note(self) -> None:
        """Say that the process is there, at most every half minute."""
        if self._noted_at and time.monotonic() - self._noted_at < NOTED_EVERY:
            return
        now = datetime.now(UTC)
        if not (self._row and Attendance.objects.filter(pk=self._row).update(until_at=now)):
            Attendance.objects.filter(until_at__lt=now - KEPT).delete()
            self._row = Attendance.objects.create(from_at=self._since, until_at=now).pk
        self._noted_at = time.monotonic()
