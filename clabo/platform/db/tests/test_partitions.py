"""A table that grows by month: made without partitions, given them as they are needed, once each."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta, timezone
from uuid import uuid4

from django.db import connection, models
from django.db.migrations.state import ProjectState
from django.test import TestCase

from clabo.collect.events.models import Event, Page
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids
from clabo.platform.db.partitions import CreateModelByMonth, ensure
from clabo.testing.traffic import START, make_site


def partitions_of(table: str) -> list[str]:
    with connection.cursor() as cursor:
        cursor.execute("SELECT relid::text FROM pg_partition_tree(%s) WHERE isleaf AND level = 1", [table])
        return sorted(row[0] for row in cursor.fetchall())


class Months(TestCase):
    def test_made_by_a_migration_and_taken_back(self) -> None:
        fields = [
            ("id", models.UUIDField(default=uuid4)),
            ("time", models.DateTimeField()),
            ("pk", models.CompositePrimaryKey("time", "id")),
        ]
        operation = CreateModelByMonth(name="Sighting", fields=fields, options={"db_table": "sightings"})
        before, after = ProjectState(), ProjectState()
        operation.state_forwards("events", after)
        with connection.schema_editor(atomic=False) as editor:
            plain = editor.sql_create_table
            operation.database_forwards("events", editor, before, after)
            self.assertEqual(editor.sql_create_table, plain, "other tables are made as ever")
        self.assertEqual(partitions_of("sightings"), [])
        ensure("sightings", [datetime(2026, 12, 31, 23, 59, tzinfo=UTC), datetime(2027, 1, 1, tzinfo=UTC)])
        self.assertEqual(partitions_of("sightings"), ["sightings_2026_12", "sightings_2027_01"])
        with connection.schema_editor(atomic=False) as editor:
            operation.database_backwards("events", editor, after, before)
        with connection.cursor() as cursor:
            cursor.execute("SELECT to_regclass('sightings')")
            self.assertIsNone(cursor.fetchone()[0])

    def test_months_are_those_of_utc_and_come_once(self) -> None:
        table = Event._meta.db_table
        before = partitions_of(table)
        far = datetime(2031, 3, 1, 0, 30, tzinfo=timezone(timedelta(hours=2)))
        for _ in range(2):
            ensure(table, [far, far + timedelta(days=1)])
        self.assertEqual(
            sorted(set(partitions_of(table)) - set(before)), [f"{table}_2031_02", f"{table}_2031_03"]
        )


class Many(TestCase):
    def pages(self, count: int) -> list[Page]:
        site = make_site()
        ids = new_ids(Page, count)
        return [
            Page(
                id=pk,
                site=site,
                host="shop.example",
                path=f"/{n}\t\\N\n“é”",
                title="",
                first_at=START,
                last_at=START,
            )
            for n, pk in enumerate(ids)
        ]

    def test_rows_come_out_of_copy_as_they_went_in(self) -> None:
        made = self.pages(7)
        made[0].per_day, made[0].twice_at = 1.5, START
        copy_in(Page, made)
        stored = {p.pk: p for p in Page.objects.all()}
        for page in made:
            for field in Page._meta.local_concrete_fields:
                self.assertEqual(
                    getattr(stored[page.pk], field.attname), getattr(page, field.attname), field.name
                )
        # The sequence goes on behind them.
        again = Page.objects.create(site=made[0].site, host="h", path="/x", first_at=START, last_at=START)
        self.assertGreater(again.pk, made[-1].pk)

    def test_an_array_is_one_parameter_and_may_be_empty(self) -> None:
        made = self.pages(3)
        copy_in(Page, made)
        wanted = Page.objects.filter(in_array("id", [made[0].pk, made[2].pk, -1]))
        self.assertEqual({p.pk for p in wanted}, {made[0].pk, made[2].pk})
        self.assertEqual(wanted.query.sql_with_params()[1].__len__(), 1)
        self.assertFalse(Page.objects.filter(in_array("id", [])).exists())
