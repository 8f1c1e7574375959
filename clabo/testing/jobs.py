"""Runs what has been put off, where a test has no worker."""

from __future__ import annotations

from django.db import connection
from procrastinate.contrib.django.models import ProcrastinateJob

from clabo.platform.jobs.job import JOBS


def run_jobs() -> None:
    """Do, in this thread and transaction, all that waits now."""
    for job in list(ProcrastinateJob.objects.filter(status="todo").order_by("id")):
        JOBS[job.task_name].now(**job.args)
        forget_jobs(job.pk)


def forget_jobs(job_id: int | None = None) -> None:
    """Remove one job, or all: Django does not clear tables that are not its own."""
    with connection.cursor() as cursor:
        if job_id is None:
            cursor.execute("DELETE FROM procrastinate_periodic_defers")
            cursor.execute("DELETE FROM procrastinate_jobs")
        else:
            cursor.execute("DELETE FROM procrastinate_jobs WHERE id = %s", [job_id])
