"""What a test has filled the database with, kept by the process and put back for the next one."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any

from django.core.cache import cache
from django.db import connection, transaction

from clabo.collect.events import daysums
from clabo.collect.presence import atoms
from clabo.judge.paths import reading
from clabo.judge.splits.analysis import exposure_cohorts
from clabo.use.audiences.evaluation import finding, packed, people

# Rows of these are the migrations', and stay where a test's are cleared.
LEFT = ("django_migrations", "django_content_type", "auth_permission")
# What the process remembers by numbers that are given out anew.
_REMEMBERED: tuple[dict[Any, Any], ...] = (
    atoms._remembered,
    reading._atoms,
    reading._journeys,
    finding._found,
    packed._days,
    people._kept,
    people._sets,
    daysums._kept,
    daysums._sizes,
    exposure_cohorts._together,
)
_kept: dict[str, tuple[date, Any, dict[str, bytes], dict[str, int]]] = {}


def forget() -> None:
    """Have this process know nothing, as one that has just begun."""
    cache.clear()
    for known in _REMEMBERED:
        known.clear()


def once(name: str, fill: Callable[[], Any]) -> Any:
    """What `fill` returns, with the database as it leaves it: filled the first time on a day, then put back.

    The database must be empty before.
    """
    today = datetime.now(UTC).date()
    if name not in _kept or _kept[name][0] != today:
        made = fill()
        _kept[name] = today, made, _rows(), _sequences()
        return made
    _, made, rows, sequences = _kept[name]
    forget()
    with transaction.atomic(), connection.cursor() as cursor:
        # Rows come in no order that their references ask for.
        cursor.execute("SET LOCAL session_replication_role = replica")
        for table, data in rows.items():
            cursor.execute(f"DELETE FROM {table}")
            with cursor.copy(f"COPY {table} FROM STDIN (FORMAT binary)") as copy:
                copy.write(data)
        for sequence, last in sequences.items():
            cursor.execute("SELECT setval(%s, %s)", [sequence, last])
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")
    return made


def _rows() -> dict[str, bytes]:
    found = {}
    with connection.cursor() as cursor:
        # Partitions hold what their table does.
        cursor.execute(
            "SELECT c.relname FROM pg_class c WHERE c.relkind IN ('r', 'p') AND NOT c.relispartition "
            "AND c.relnamespace = 'public'::regnamespace"
        )
        # The worker of the next test is at its queue while rows are put back.
        names = [name for (name,) in cursor.fetchall() if not name.startswith("procrastinate_")]
        tables = [f'"{name}"' for name in names if name not in LEFT]
        for table in tables:
            with cursor.copy(f"COPY (SELECT * FROM {table}) TO STDOUT (FORMAT binary)") as copy:
                found[table] = b"".join(bytes(part) for part in copy)
    return found


def _sequences() -> dict[str, int]:
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT format('%I', sequencename), last_value FROM pg_sequences "
            "WHERE schemaname = 'public' AND last_value IS NOT NULL"
        )
        return dict(cursor.fetchall())
