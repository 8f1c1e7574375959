"""Monthly partitions of the event table."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime

from django.db import connection


def name_of(day: date) -> str:
    """The partition that holds events of the month of `day` (UTC)."""
    return f"collect_event_{day:%Y_%m}"


def ensure(times: Iterable[datetime]) -> None:
    """Make the partitions that events at `times` need. Safe to call in any transaction."""
    months = {(t.year, t.month) for t in (time.astimezone(UTC) for time in times)}
    for year, month in sorted(months):
        first = date(year, month, 1)
        name = name_of(first)
        after = date(year + month // 12, month % 12 + 1, 1)
        with connection.cursor() as cursor:
            cursor.execute("SELECT to_regclass(%s)", [name])
            if cursor.fetchone()[0] is None:
                # Two workers may come here at once; the lock makes the second one see the first's.
                cursor.execute("SELECT pg_advisory_xact_lock(727270001)")
                cursor.execute(
                    f"CREATE TABLE IF NOT EXISTS {name} PARTITION OF collect_event "
                    f"FOR VALUES FROM ('{first}T00:00:00Z') TO ('{after}T00:00:00Z')"
                )


def existing() -> list[str]:
    """Names of the partitions, oldest first."""
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT relid::text FROM pg_partition_tree('collect_event') WHERE isleaf AND level = 1"
        )
        return sorted(row[0] for row in cursor.fetchall())
