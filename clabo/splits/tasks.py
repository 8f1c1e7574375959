"""What is done with tests while nobody waits: they end by themselves, and drafts are looked at."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.jobs.job import job
from clabo.splits.elements import look_for
from clabo.splits.settling import settle

__all__ = ["ending", "look_for"]


@job("tests that end by themselves", every="*/10 * * * *")
def ending() -> None:
    """Look at every running test."""
    settle(datetime.now(UTC))
