"""Outcome files while they are looked at. Addresses of people are in them: none is kept for longer than a day."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from pathlib import Path

from django.conf import settings

from clabo.platform.problems import Problem
from clabo.setup.sites.models import Site
from clabo.use.outcomes.models import OutcomeImport

KEPT = timedelta(days=1)


def path_of(batch: OutcomeImport) -> Path:
    """Where the file lies; raises Problem where it is kept no more."""
    if not batch.stored_as:
        raise Problem("This file is not kept any more. Send it again.", "file", 409)
    return Path(settings.CLABO_UPLOAD_DIR) / batch.stored_as


def remove_old(site: Site, now: datetime | None = None) -> None:
    """Remove files that were looked at and not taken in."""
    since = (now or datetime.now(UTC)) - KEPT
    for batch in OutcomeImport.objects.filter(
        site=site, state=OutcomeImport.State.UPLOADED, made_at__lt=since
    ):
        if batch.stored_as:
            path_of(batch).unlink(missing_ok=True)
        batch.delete()
