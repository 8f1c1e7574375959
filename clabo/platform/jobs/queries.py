"""What is being done, what waits, and what has failed."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from django.db.models import Max, Q, QuerySet
from procrastinate.contrib.django.models import ProcrastinateJob, ProcrastinatePeriodicDefer

from clabo.platform.jobs.models import JobFailure

MOST = 200


@dataclass(frozen=True, slots=True)
class JobState:
    """One job. `due_at`: when it is tried next, where that is not at once; `since`: its last change."""

    id: int
    name: str
    status: str
    site_id: int | None
    params: dict[str, Any]
    attempts: int
    due_at: datetime | None
    since: datetime | None
    reason: str


def last_deferral() -> datetime | None:
    """Of what is due by the clock, the latest time for which anything was deferred; something is due every minute."""
    last = ProcrastinatePeriodicDefer.objects.aggregate(at=Max("defer_timestamp"))["at"]
    return datetime.fromtimestamp(last, UTC) if last else None


def jobs_for(workspace_id: int, site_ids: Collection[int]) -> QuerySet[ProcrastinateJob]:
    """The jobs of a workspace, which has these sites, that are not done."""
    own = Q(args__site_id__in=list(site_ids)) | Q(args__workspace_id=workspace_id)
    return ProcrastinateJob.objects.filter(own).exclude(status="succeeded")


def states(jobs: QuerySet[ProcrastinateJob]) -> list[JobState]:
    """How they stand, the newest first."""
    rows = list(jobs.annotate(since=Max("procrastinateevent__at")).order_by("-id")[:MOST])
    reasons = dict(JobFailure.objects.filter(job_id__in=[r.pk for r in rows]).values_list("job_id", "reason"))
    return [
        JobState(
            r.pk,
            r.task_name,
            r.status,
            r.args.get("site_id"),
            r.args,
            r.attempts,
            r.scheduled_at,
            r.since,
            reasons.get(r.pk, ""),
        )
        for r in rows
    ]
