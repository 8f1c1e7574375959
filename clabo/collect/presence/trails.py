"""Days packed in order: who, when and what, as columns, for order, counts and times between (Arrow's IPC format)."""

from __future__ import annotations

from collections.abc import Collection
from datetime import UTC, date, datetime
from typing import NamedTuple

import pyarrow as pa
from django.db import connection, transaction
from django.db.models import F, Q

from clabo.collect.presence.day_columns import Columns, unpacked
from clabo.collect.presence.models import Trail
from clabo.platform.db.binary import binary_cursor
from clabo.setup.sites.locks import try_lock_site
from clabo.setup.sites.models import Site

_SCHEMA = pa.schema(
    [("person", pa.uint32()), ("time", pa.int64()), ("atom", pa.uint32()), ("visit", pa.int64())]
)
_TABLE = Trail._meta.db_table


def touch(site_id: int, days: Collection[date]) -> None:
    """Note that these days are to be packed, or packed anew."""
    if not days:
        return
    with connection.cursor() as cursor:
        cursor.execute(
            f"INSERT INTO {_TABLE} (site_id, day) SELECT %s, day FROM unnest(%s::date[]) AS day ORDER BY day "
            f"ON CONFLICT (site_id, day) DO UPDATE SET data = NULL, changes = {_TABLE}.changes + 1",
            [site_id, sorted(days)],
        )


def closed_and_unpacked(now: datetime | None = None) -> list[tuple[int, date]]:
    """Sites' days that are over and wait to be packed, the newest first."""
    now = now or datetime.now(UTC)
    # A day is over everywhere fourteen hours after it is over in Greenwich.
    waiting = Trail.objects.filter(data=None, day__lte=now.date()).order_by("-day")
    zones = {s.pk: s.zone for s in Site.objects.only("time_zone")}
    return [
        (site_id, day)
        for site_id, day in waiting.values_list("site_id", "day")
        if site_id in zones and day < now.astimezone(zones[site_id]).date()
    ]


def pack(site_id: int, day: date) -> bool:
    """Pack one day as it is stored now; False where somebody else works on the site."""
    with transaction.atomic():
        if not try_lock_site(site_id):
            return False
        columns = unpacked(Site.objects.get(pk=site_id), day)
        batch = pa.record_batch(
            [
                pa.array(column, field.type)
                for column, field in zip(
                    (columns.people, columns.times, columns.atoms, columns.visits), _SCHEMA, strict=True
                )
            ],
            schema=_SCHEMA,
        )
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, _SCHEMA) as writer:
            writer.write_batch(batch)
        Trail.objects.filter(site_id=site_id, day=day).update(
            data=sink.getvalue().to_pybytes(), version=F("version") + 1
        )
    return True


def versions(site_id: int, first: date, last: date) -> dict[date, int | None]:
    """The days from `first` to `last` on which anything happened, in order, with how often each was packed.

    None for one that is not packed as it is now.
    """
    return {day: s.version if s.packed else None for day, s in stamps(site_id, first, last).items()}


class Stamp(NamedTuple):
    """What a day's trail is of: how often it was packed and touched; and whether it is packed as it is now."""

    version: int
    changes: int
    packed: bool


def stamps(site_id: int, first: date, last: date) -> dict[date, Stamp]:
    """The days from `first` to `last` on which anything happened, in order; one with the same stamp has not changed."""
    rows = Trail.objects.filter(site_id=site_id, day__gte=first, day__lte=last).order_by("day")
    told = rows.annotate(packed=Q(data__isnull=False)).values_list("day", "version", "changes", "packed")
    return {day: Stamp(*rest) for day, *rest in told}


def read(site_id: int, days: Collection[date]) -> dict[date, tuple[int, Columns]]:
    """Of these days those that are packed, each with its version."""
    with binary_cursor() as cursor:
        cursor.execute(
            f"SELECT day, version, data FROM {_TABLE} WHERE site_id = %s AND day = ANY(%s) AND data IS NOT NULL",
            [site_id, list(days)],
        )
        rows = cursor.fetchall()
    found = {}
    for day, version, data in rows:
        with pa.ipc.open_stream(data) as stream:
            table = stream.read_all()
        columns = [
            column.combine_chunks().to_numpy() if column.num_chunks != 1 else column.chunk(0).to_numpy()
            for column in table.columns
        ]
        found[day] = version, Columns(*columns)
    return found
