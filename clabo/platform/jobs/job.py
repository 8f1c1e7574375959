"""How apps define work for later: `@job` in their tasks.py, which Django finds when it starts."""

from __future__ import annotations

from collections.abc import Callable
from functools import wraps
from typing import Any, Literal

from django.db import DatabaseError, connections, transaction
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from clabo.platform.jobs.models import JobFailure

# Half a minute, a minute, two, four … : about four hours in all.
RETRY = RetryStrategy(max_attempts=9, exponential_wait=30)


# How many jobs of each sort run at a time: what takes long, what waits for others outside, and what is soon done and
# must not wait for either (nor one site's for another's, whose service is slow).
Queue = Literal["clabo", "outside", "soon"]
QUEUES: dict[Queue, int] = {"clabo": 2, "outside": 2, "soon": 4}

JOBS: dict[str, Job] = {}


class Job:
    """One kind of work."""

    def __init__(self, name: str, function: Callable[..., None], task: Any) -> None:
        self.name, self.now, self._task = name, function, task

    def later(self, once: str = "", lock: str = "", **params: Any) -> None:
        """Have it done soon, if the transaction commits.

        While another with the same `once` waits nothing is added; of those with the same `lock` one runs at a time.
        """
        chosen = self._task.configure(lock=lock or None, queueing_lock=once or None)
        try:
            # A savepoint: what waits already is no reason to lose the caller's transaction.
            with transaction.atomic():
                chosen.defer(**params)
        except AlreadyEnqueued:
            pass


def job(name: str, every: str = "", queue: Queue = "clabo") -> Callable[[Callable[..., None]], Job]:
    """Register the decorated function under `name`; `every` is a crontab line for what runs by itself.

    Its parameters are plain JSON; `site_id` among them says whose work it is. It is run again when it raises.
    """

    def register(function: Callable[..., None]) -> Job:
        @wraps(function)
        def run(context: JobContext, *args: Any, **params: Any) -> None:
            # What runs by itself is given its time, which nobody needs.
            params.pop("timestamp", None)
            number = context.job.id
            try:
                function(**params)
            except Exception as error:
                _note(number, error)
                raise
            else:
                JobFailure.objects.filter(job_id=number or 0).delete()
            finally:
                connections.close_all()

        task = app.task(name=name, queue=queue, retry=RETRY, pass_context=True)(run)
        if every:
            app.periodic(cron=every)(task)
        JOBS[name] = Job(name, function, task)
        return JOBS[name]

    return register


def _note(number: int | None, error: Exception) -> None:
    reason = f"{type(error).__name__}: {error}"[:2000].replace("\x00", "")
    try:
        JobFailure.objects.update_or_create(job_id=number or 0, defaults={"reason": reason})
    except DatabaseError:
        # The database is what failed.
        connections.close_all()
