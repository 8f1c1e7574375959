"""Mails of saved views, sent by themselves."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.jobs.each import for_each
from clabo.jobs.job import job
from clabo.saved.mailing import due, send


@job("views by mail", every="*/10 * * * *")
def mailings() -> None:
    """Whatever is due goes out, once."""
    for_each(due(datetime.now(UTC)), lambda found: send(*found), "a view by mail")
