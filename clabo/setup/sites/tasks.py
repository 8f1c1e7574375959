"""What is done for sites by the clock."""

from __future__ import annotations

from clabo.platform.jobs.job import job
from clabo.setup.sites import deleted


@job("deleting what was deleted 30 days ago", every="20 3 * * *")
def purge_deleted() -> None:
    """What nothing counts on is gone for good after its days among what is deleted."""
    deleted.purge()
