"""Ends what threads and servers of a test leave open at the database."""

from __future__ import annotations

import time

from django.db import connection


def end_other_sessions(name_begins: str) -> None:
    """End every session but this one, of the databases whose name begins so."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT pg_terminate_backend(pid) FROM pg_stat_activity "
            "WHERE starts_with(datname, %s) AND pid <> pg_backend_pid()",
            [name_begins],
        )


def wait_for_others(seconds: float = 10.0) -> None:
    """Return once no other session of this database is at work."""
    end = time.monotonic() + seconds
    while time.monotonic() < end:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() "
                "AND state <> 'idle' AND pid <> pg_backend_pid()"
            )
            if not cursor.fetchone()[0]:
                return
        time.sleep(0.05)
