"""Reads of spend."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from clabo.setup.sites.models import Site
from clabo.use.spend.joining import Joined, joined
from clabo.use.spend.models import SpendImport

DAYS = 90
MOST_IMPORTS = 100


def imports_of(site: Site) -> list[SpendImport]:
    """What was taken in, also what was undone, newest first."""
    taken = SpendImport.objects.filter(site=site).exclude(state=SpendImport.State.UPLOADED)
    return list(taken.select_related("made_by").order_by("-made_at")[:MOST_IMPORTS])


def recently_joined(site: Site) -> Joined:
    """How the cost of the last 90 days of the site has found its pages."""
    today = datetime.now(UTC).astimezone(site.zone).date()
    return joined(site, today - timedelta(days=DAYS - 1), today)
