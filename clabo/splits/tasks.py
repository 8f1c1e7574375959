"""Tests that end by themselves, for their day has come or because they were asked to."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.jobs.job import job
from clabo.splits.settling import settle


@job("tests that end by themselves", every="*/10 * * * *")
def ending() -> None:
    """Look at every running test."""
    settle(datetime.now(UTC))
