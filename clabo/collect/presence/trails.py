"""Days packed in order: who, when and what, as columns, for order, counts and times between (Arrow's IPC format)."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import NamedTuple

import numpy as np
import pyarrow as pa
from django.db import connection, transaction
from django.db.models import F, Q
from numpy.typing import NDArray

from clabo.collect.events.models import Event, Kind, TrafficClass, Visit
from clabo.collect.presence.atoms import Key, atoms
from clabo.collect.presence.keys import LEFT_OUT, arrival, event_key
from clabo.collect.presence.models import Trail
from clabo.platform.db.binary import binary_cursor
from clabo.setup.sites.locks import try_lock_site
from clabo.setup.sites.models import Site

_SCHEMA = pa.schema(
    [("person", pa.uint32()), ("time", pa.int64()), ("atom", pa.uint32()), ("visit", pa.int64())]
)
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_TABLE = Trail._meta.db_table


@dataclass(frozen=True, slots=True)
class Columns:
    """A day: visitor numbers, microseconds since 1970, atoms, and ids of visits (0: none), in order."""

    people: NDArray[np.uint32]
    times: NDArray[np.int64]
    atoms: NDArray[np.uint32]
    visits: NDArray[np.int64]


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


def unpacked(site: Site, day: date) -> Columns:
    """A day as it is stored now, out of the tables."""
    start, end = site.midnight(day), site.midnight(day + timedelta(days=1))
    # Where two things have one time, a visit begins before all, and a view comes before the rest.
    # In the order of a visitor's events everywhere: of two with the same time and sort, the smaller id comes first.
    found: list[tuple[int, int, bytes, int, Key, int]] = []
    events = Event.objects.reported().filter(site=site, time__gte=start, time__lt=end)
    columns = ("time", "id", "visitor__number", "kind", "page_id", "element_id", "name", "visit_id")
    for time, event, person, kind, thing, element, name, visit in events.exclude(
        kind__in=LEFT_OUT
    ).values_list(*columns):
        key = event_key(kind, thing, element, name)
        found.append((_micro(time), 1 + (kind != Kind.VIEW), event.bytes, person, key, visit or 0))
    visits = Visit.objects.filter(site=site, day=day, traffic_class=TrafficClass.COUNTED)
    for time, person, page, origin, device, number, visit in visits.values_list(
        "started_at", "visitor__number", "entry_page_id", "origin_id", "device", "number", "id"
    ):
        row = arrival(page, origin, device, number)
        found.append((_micro(time), 0, number.to_bytes(8), person, row, visit))
    ids = atoms(site.pk, {row[4] for row in found})
    found.sort(key=lambda row: row[:3])
    return Columns(
        np.fromiter((row[3] for row in found), np.uint32, len(found)),
        np.fromiter((row[0] for row in found), np.int64, len(found)),
        np.fromiter((ids[row[4]] for row in found), np.uint32, len(found)),
        np.fromiter((row[5] for row in found), np.int64, len(found)),
    )


def _micro(time: datetime) -> int:
    return (time - _EPOCH) // timedelta(microseconds=1)


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
