"""Tables partitioned by month of their column `time`, which Django's own operations cannot make."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime
from typing import Any

from django.db import connection
from django.db.backends.base.schema import BaseDatabaseSchemaEditor
from django.db.migrations import CreateModel
from django.db.migrations.state import ProjectState


class CreateModelByMonth(CreateModel):
    """As CreateModel, for a table whose rows lie in a partition for each month of `time` (UTC)."""

    def database_forwards(
        self,
        app_label: str,
        schema_editor: BaseDatabaseSchemaEditor,
        from_state: ProjectState,
        to_state: ProjectState,
    ) -> None:
        """Create the table without any partition yet."""
        plain: Any = schema_editor.sql_create_table
        schema_editor.sql_create_table = plain + " PARTITION BY RANGE (time)"
        try:
            super().database_forwards(app_label, schema_editor, from_state, to_state)
        finally:
            schema_editor.sql_create_table = plain


def ensure(table: str, times: Iterable[datetime]) -> None:
    """Make the partitions that rows at `times` need. Safe to call in any transaction."""
    months = {(t.year, t.month) for t in (time.astimezone(UTC) for time in times)}
    for year, month in sorted(months):
        first = date(year, month, 1)
        name = f"{table}_{first:%Y_%m}"
        after = date(year + month // 12, month % 12 + 1, 1)
        with connection.cursor() as cursor:
            cursor.execute("SELECT to_regclass(%s)", [name])
            if cursor.fetchone()[0] is None:
                # Two workers may come here at once; the lock makes the second one see the first's.
                cursor.execute("SELECT pg_advisory_xact_lock(727270001)")
                cursor.execute(
                    f"CREATE TABLE IF NOT EXISTS {name} PARTITION OF {table} "
                    f"FOR VALUES FROM ('{first}T00:00:00Z') TO ('{after}T00:00:00Z')"
                )
