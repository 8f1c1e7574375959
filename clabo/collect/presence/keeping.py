"""Keeping the index: what a batch adds, and visitors whose past has changed anew, as pieces in its transaction."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date, datetime
from datetime import time as time_of_day
from zoneinfo import ZoneInfo

import numpy as np
from pyroaring import BitMap

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Event, TrafficClass, Visit, Visitor
from clabo.collect.events.storage.storing import EVER, StoredBatch
from clabo.collect.presence.atoms import Key, Sort, atoms
from clabo.collect.presence.keys import LEFT_OUT, VISIT_COLUMNS, arrival, event_key
from clabo.collect.presence.models import DayPresence, Piece, Trail
from clabo.collect.presence.tasks import merge_later
from clabo.collect.presence.trails import touch
from clabo.platform.db.arrays import in_array


@dataclass
class Changes:
    """What changes of the index of one site, by day."""

    site_id: int
    cleared: defaultdict[date, set[int]] = field(default_factory=lambda: defaultdict(set))
    out: defaultdict[date, set[tuple[Key, int]]] = field(default_factory=lambda: defaultdict(set))
    into: defaultdict[date, set[tuple[Key, int]]] = field(default_factory=lambda: defaultdict(set))

    def write(self) -> None:
        """One piece a day."""
        keys = {key for pairs in (*self.out.values(), *self.into.values()) for key, _ in pairs}
        ids = atoms(self.site_id, keys)
        pieces = []
        for day in sorted({*self.cleared, *self.out, *self.into}):
            out, into = list(self.out.get(day, ())), list(self.into.get(day, ()))
            pieces.append(
                Piece(
                    site_id=self.site_id,
                    day=day,
                    cleared=BitMap(self.cleared[day]).serialize() if day in self.cleared else b"",
                    out_atoms=_packed(ids[key] for key, _ in out),
                    out_people=_packed(number for _, number in out),
                    in_atoms=_packed(ids[key] for key, _ in into),
                    in_people=_packed(number for _, number in into),
                )
            )
        Piece.objects.bulk_create(pieces)
        _merge_now_and_then(self.site_id, len(pieces))


# Pieces that this process has written since it last had those of a site merged.
_written: defaultdict[int, int] = defaultdict(int)
MERGE_AFTER = 40


def _merge_now_and_then(site_id: int, pieces: int) -> None:
    """Many pieces make reading slow. Whatever is left over is merged by the clock."""
    _written[site_id] += pieces
    if _written[site_id] >= MERGE_AFTER:
        _written[site_id] = 0
        merge_later(site_id)


def _packed(numbers: Iterable[int]) -> bytes:
    return np.fromiter(numbers, dtype="<u4").tobytes()


def keep_presence(batch: StoredBatch) -> None:
    """The pipeline's hook."""
    changes = Changes(batch.site_id)
    plain = [e for e in batch.events if e.visitor_id not in batch.restitched and e.kind not in LEFT_OUT]
    visits = {
        pk: rest
        for pk, *rest in Visit.objects.filter(
            in_array("id", {e.visit_id for e in plain if e.visit_id}), site_id=batch.site_id
        ).values_list(*VISIT_COLUMNS)
    }
    for day, page, origin, device, number, traffic_class, person in visits.values():
        if traffic_class == TrafficClass.COUNTED:
            changes.into[day].add((arrival(page, origin, device, number), person))
    lone = {e.visitor_id for e in plain if e.visit_id is None}
    numbers = dict(Visitor.objects.filter(in_array("id", lone)).values_list("id", "number")) if lone else {}
    for event in plain:
        if event.visit_id is None:
            person = numbers[event.visitor_id]
        else:
            *_, traffic_class, person = visits[event.visit_id]
            if traffic_class != TrafficClass.COUNTED:
                continue
        key = event_key(event.kind, event.page_id, event.element_id, event.name)
        changes.into[batch.reading.day(event.time)].add((key, person))
    _refresh(changes, batch.restitched, batch.reading.zone, batch.days)
    changes.write()
    touch(batch.site_id, {*changes.cleared, *changes.into})


def refresh(site_id: int, zone: ZoneInfo, visitors: Collection[int], days: Collection[date] = ()) -> None:
    """Make what the index says of these visitors' events and visits what is stored. Call with the site's lock held.

    `days`: where they may stand although nothing that is stored says so.
    """
    changes = Changes(site_id)
    _refresh(changes, dict.fromkeys(visitors, EVER), zone, days)
    changes.write()
    touch(site_id, {*changes.cleared, *changes.into})


def empty(reading: SiteReader) -> None:
    """Take everybody out of the index of a site, on every day: what follows puts them in again as they are stored now.

    Conversions bring their own differences.
    """
    site_id = reading.site_id
    numbers = BitMap(Visitor.objects.filter(site_id=site_id).values_list("number", flat=True))
    changes = Changes(site_id)
    days = {*Trail.objects.filter(site_id=site_id).values_list("day", flat=True)}
    for model in (Piece, DayPresence):
        days |= {*model.objects.filter(site_id=site_id).values_list("day", flat=True).distinct()}
    for day in days:
        changes.cleared[day] |= set(numbers)
    changes.write()
    touch(site_id, days)


def _refresh(changes: Changes, since: Mapping[int, datetime], zone: ZoneInfo, days: Collection[date]) -> None:
    """What happened of each visitor from the day of `since` on, out and in again, also on `days` from then on."""
    if not since:
        return
    site_id = changes.site_id
    numbers = dict(Visitor.objects.filter(in_array("id", since)).values_list("id", "number"))
    first = {pk: date.min if time <= EVER else _day(time, zone) for pk, time in since.items()}
    for pk, number in numbers.items():
        for day in days:
            if day >= first[pk]:
                changes.cleared[day].add(number)
    earliest = min(first.values())
    events = Event.objects.filter(in_array("visitor_id", since), site_id=site_id)
    visits = Visit.objects.filter(in_array("visitor_id", since), site_id=site_id)
    if earliest > date.min:
        events = events.filter(time__gte=datetime.combine(earliest, time_of_day.min, zone))
        visits = visits.filter(day__gte=earliest)
    for time, visitor, person, kind, page, element, name, visit, traffic_class in events.exclude(
        kind__in=LEFT_OUT
    ).values_list(
        *("time", "visitor_id", "visitor__number", "kind", "page_id", "element_id", "name"),
        *("visit_id", "visit__traffic_class"),
    ):
        day = _day(time, zone)
        if day < first[visitor]:
            continue
        changes.cleared[day].add(person)
        if visit is None or traffic_class == TrafficClass.COUNTED:
            changes.into[day].add((event_key(kind, page, element, name), person))
    for visitor, day, page, origin, device, number, traffic_class, person in visits.values_list(
        "visitor_id", *VISIT_COLUMNS[1:]
    ):
        if day < first[visitor]:
            continue
        changes.cleared[day].add(person)
        if traffic_class == TrafficClass.COUNTED:
            changes.into[day].add((arrival(page, origin, device, number), person))


def _day(time: datetime, zone: ZoneInfo) -> date:
    return time.astimezone(zone).date()


def keep_conversions(
    site_id: int, rule_id: int, before: Iterable[tuple[date, int]], now: Iterable[tuple[date, int]]
) -> None:
    """What has changed of a conversion: pairs of day and visitor number that it may have held for, and holds for."""
    changes = Changes(site_id)
    key = Key(Sort.CONVERSION, conversion=rule_id)
    held = set(now)
    for day, person in set(before) - held:
        changes.out[day].add((key, person))
    for day, person in held:
        changes.into[day].add((key, person))
    changes.write()
