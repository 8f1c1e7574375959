"""Empties the database between tests that cannot roll back: only tables with rows in them, which takes a hundredth of the time."""

from __future__ import annotations

from typing import Any

from django.db import connection, transaction
from django.test import TransactionTestCase

from clabo.testing.snapshot import LEFT

# What a table this large has left behind is cleared away at once, so that nobody reads over it.
LARGE_BYTES = 1_000_000


class ClearedCase(TransactionTestCase):
    """A test case that commits, after which every table of Django's is empty again, as after a flush."""

    def _fixture_teardown(self) -> None:
        clear()


def clear() -> None:
    """Empty all tables but those whose rows are the migrations'."""
    tables = [
        t
        for t in connection.introspection.django_table_names(only_existing=True, include_views=False)
        if t not in LEFT
    ]
    names = [(table, connection.ops.quote_name(table)) for table in tables]
    with connection.cursor() as cursor:
        asked = " UNION ALL ".join(
            f"SELECT %s::text WHERE EXISTS (SELECT FROM {quoted})" for _, quoted in names
        )
        cursor.execute(asked, tables)
        full = {table for (table,) in cursor.fetchall()}
    with transaction.atomic(), connection.cursor() as cursor:
        # No order of deleting would please all references.
        cursor.execute("SET LOCAL session_replication_role = replica")
        for table, quoted in names:
            if table in full:
                cursor.execute(f"DELETE FROM {quoted}")
    with connection.cursor() as cursor:
        for table, quoted in names:
            if table in full and _size(cursor, quoted) > LARGE_BYTES:
                cursor.execute(f"VACUUM {quoted}")


def _size(cursor: Any, quoted: str) -> int:
    cursor.execute(
        "SELECT pg_total_relation_size(%s) + coalesce(sum(pg_total_relation_size(inhrelid)), 0) "
        "FROM pg_inherits WHERE inhparent = %s::regclass",
        [quoted, quoted],
    )
    return int(cursor.fetchone()[0])
