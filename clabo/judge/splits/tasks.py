"""What is done with tests while nobody waits: they end by themselves, and drafts are looked at."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.judge.splits.editor.elements import look_for
from clabo.judge.splits.settling import settle
from clabo.platform.jobs.job import job

__all__ = ["ending", "look_for"]


@job("tests that end by themselves", every="*/10 * * * *")
def ending() -> None:
    """Look at every running test."""
    settle(datetime.now(UTC))
