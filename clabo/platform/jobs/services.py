"""What an owner can do about a job that was given up."""

from __future__ import annotations

from datetime import UTC, datetime

from django.db import connection
from django.db.models import QuerySet
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob

from clabo.platform.problems import missing


def again(jobs: QuerySet[ProcrastinateJob], job_id: int) -> None:
    """Have one of `jobs` tried again at once; raises Problem where none of that number waits or has failed."""
    job = jobs.filter(pk=job_id, status__in=("failed", "todo")).first()
    if job is None:
        raise missing("job")
    if job.status == "failed":
        app.job_manager.retry_job_by_id(job_id, retry_at=datetime.now(UTC))
        return
    # One that waits for its next try: procrastinate has no call for that, and its models only read.
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE procrastinate_jobs SET scheduled_at = now() WHERE id = %s AND status = 'todo'", [job_id]
        )
