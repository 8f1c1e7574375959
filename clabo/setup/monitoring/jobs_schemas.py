"""The shape of jobs in the API."""

from __future__ import annotations

from datetime import datetime
from typing import Literal

from clabo.platform.jobs.queries import JobState
from clabo.platform.shapes import Shape


class JobOut(Shape):
    """Something that is being done, waits, is tried again, or was given up (`failed`)."""

    id: int
    what: str
    status: Literal["waiting", "running", "again", "failed"]
    site_id: int | None
    attempts: int
    due_at: datetime | None
    since: datetime | None
    reason: str


def job_out(j: JobState) -> JobOut:
    """As an owner is shown it."""
    status: Literal["waiting", "running", "again", "failed"] = "waiting"
    if j.status == "doing":
        status = "running"
    elif j.status != "todo":
        status = "failed"
    elif j.attempts:
        status = "again"
    return JobOut(
        id=j.id,
        what=j.name,
        status=status,
        site_id=j.site_id,
        attempts=j.attempts,
        due_at=j.due_at,
        since=j.since,
        reason=j.reason,
    )
