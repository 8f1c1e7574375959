"""Who may write what a site's visitors did: one transaction at a time."""

from __future__ import annotations

from django.db import connection

# As namespace of advisory locks: PostgreSQL keeps them apart by two numbers, the second being the site's.
_SITE_LOCK = 72727


def lock_site(site_id: int) -> None:
    """Until the transaction ends, nobody else writes visits or conversions of this site. Waits for whoever does."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(%s, %s)", [_SITE_LOCK, site_id])


def try_lock_site(site_id: int) -> bool:
    """The same without waiting; False where somebody else holds it."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_try_advisory_xact_lock(%s, %s)", [_SITE_LOCK, site_id])
        return bool(cursor.fetchone()[0])
