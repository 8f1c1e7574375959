"""Work that belongs to no app alone."""

from __future__ import annotations

from django.core.mail import send_mail

from clabo.jobs.job import job


@job("mail")
def mail(subject: str, body: str, to: str, workspace_id: int | None = None) -> None:
    """Send a mail for a workspace; the provider may be away for a while."""
    send_mail(subject, body, None, [to])
