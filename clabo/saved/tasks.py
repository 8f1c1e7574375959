"""Mails of saved views, sent by themselves."""

from __future__ import annotations

from datetime import UTC, datetime

from clabo.jobs.job import job
from clabo.saved.mailing import due, send


@job("views by mail", every="*/10 * * * *")
def mailings() -> None:
    """Whatever is due goes out, once."""
    for mailing, today in due(datetime.now(UTC)):
        send(mailing, today)
