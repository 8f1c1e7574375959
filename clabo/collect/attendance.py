"""When Clabo itself was there to take hits in, so that its own absence is not taken for a page's silence."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta

from clabo.collect.models import Attendance
from clabo.collect.pipeline import backlog

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


def absences(since: datetime, now: datetime) -> list[Span]:
    """The times from `since` to `now` when no hit could have reached the tables, earliest first.

    Either no server was there, or what it took in still waits for the worker. Before the first note nothing is
    known, and Clabo is taken to have been there.
    """
    waits = backlog().oldest
    known_until = min(now, waits) if waits else now
    found: list[Span] = []
    reached: datetime | None = None
    spans = Attendance.objects.filter(until_at__gt=since - KEPT).order_by("from_at")
    for start, end in spans.values_list("from_at", "until_at"):
        if reached is not None and start > reached:
            found.append((reached, start))
        reached = end if reached is None else max(reached, end)
    if reached is not None and reached < now:
        found.append((reached, now))
    if known_until < now:
        found.append((known_until, now))
    return [(max(start, since), end) for start, end in found if end > since]
