"""Work that belongs to no app alone."""

from __future__ import annotations

from base64 import b64decode

from django.core.mail import EmailMessage

from clabo.platform.jobs.job import job


@job("mail")
def mail(
    subject: str,
    body: str,
    to: str,
    workspace_id: int | None = None,
    headers: dict[str, str] | None = None,
    attached: list[tuple[str, str, str]] | None = None,
) -> None:
    """Send a mail for a workspace; the provider may be away for a while. `attached`: name, base64, media type each."""
    message = EmailMessage(subject, body, None, [to], headers=headers)
    for name, content, media in attached or []:
        message.attach(name, b64decode(content), media)
    message.send()
