"""When Clabo itself was there, so that its own absence is not taken for a page's silence."""

from __future__ import annotations

from datetime import datetime

from clabo.collect.ingest.attendance import KEPT
from clabo.collect.ingest.models import Attendance
from clabo.collect.pipeline.queries import backlog

Span = tuple[datetime, datetime]


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
