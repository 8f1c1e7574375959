"""Mails of saved views, sent by themselves."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.judge.saved.mailing import due, send
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job


@job("views by mail", every="*/10 * * * *")
def mailings() -> None:
    """Whatever is due goes out, once."""
    for_each(due(datetime.now(UTC)), lambda found: send(*found), "a view by mail")
