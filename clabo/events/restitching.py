"""The rare way of storing: a visitor's visits anew, out of the stored events, from before one that came late."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from uuid import UUID

from django.db import connection

from clabo.core.addresses import NO_CAMPAIGN, Campaign, campaign_of
from clabo.core.visits import stitch
from clabo.db.copying import copy_in, new_ids
from clabo.events.models import SERVER_KINDS, Event, Kind, Visit, Visitor
from clabo.events.stitching import (
    AnyVisit,
    Context,
    NewEvent,
    NewVisit,
    Pair,
    Step,
    StoredEvent,
    begin_visits,
    count_in,
    file_events,
    hashed,
)

_COLUMNS = (
    *("time", "id", "kind", "page_id", "query", "referrer", "element__traits"),
    *("device", "traffic_class", "campaign", "visit_id", "views"),
)
_CHANGED = [f.name for f in Visit._meta.local_concrete_fields if f.name not in ("id", "site", "visitor")]


def restitch(
    context: Context, late: Mapping[int, list[Step]], visitors: Mapping[int, Visitor]
) -> list[NewEvent]:
    """Visits of these visitors anew, from the last one that began before the late event; the new events among all."""
    new: list[NewEvent] = []
    for visitor_id, own in late.items():
        new += _restitch(context, visitors[visitor_id], own)
    return new


def _restitch(context: Context, visitor: Visitor, own: list[Step]) -> list[NewEvent]:
    reading, changes = context.reading, context.changes
    site_id = reading.site_id
    visits = list(Visit.objects.filter(site_id=site_id, visitor=visitor).order_by("started_at", "id"))
    # An older visit in whose reach the late event lies stays untouched: the one after it is redone.
    kept = [v for v in visits if v.started_at <= own[0].event.time][:-1]
    redone = visits[len(kept) :]
    by_pk = {v.pk: v for v in redone}
    stored = _stored(site_id, visitor.pk, redone)
    for visit in redone:
        changes.visit(visit, -1)
    for event in stored:
        if event.kind == Kind.VIEW:
            changes.view(by_pk[event.visit_id], event.page_id, reading.day(event.time), -1)
    before = [(e.visit_id, e.views) for e in stored]
    steps = [Step(e, _campaign(e)) for e in stored] + own
    steps.sort(key=lambda s: s.place)
    again: list[Visit] = []
    created: list[NewVisit] = []
    pairs: list[Pair] = []
    left = dict(by_pk)
    for place, stretch in enumerate(stitch(map(hashed, steps), reading.gap)):
        number = len(kept) + place + 1
        # A visit stays the one that its first event was in, so that few of them have to be moved.
        was = next((e.visit_id for h in stretch.hits if isinstance(e := h.item.event, StoredEvent)), None)
        old = left.pop(was, None) if was else None
        if old:
            again.append(
                Visit(pk=old.pk, site_id=site_id, visitor=visitor, number=number, conversions=old.conversions)
            )
        else:
            created.append(NewVisit(site_id, visitor.pk, number))
        made: AnyVisit = again[-1] if old else created[-1]
        made.network = by_pk[was].network if was else ""
        pairs.append((made, stretch))
    begin_visits(context, pairs)
    for each, stretch in pairs:
        count_in(each, stretch)
    for fresh, visit_id in zip(created, new_ids(Visit, len(created)), strict=True):
        fresh.id = visit_id
    copy_in(Visit, created)
    Visit.objects.bulk_create(again, update_conflicts=True, unique_fields=["id"], update_fields=_CHANGED)
    if left:
        Visit.objects.filter(pk__in=list(left)).delete()
    new: list[NewEvent] = []
    for each, stretch in pairs:
        new += file_events(context, each, stretch)
    moved = [e for e, old_place in zip(stored, before, strict=True) if old_place != (e.visit_id, e.views)]
    move_events(site_id, [(e.time, e.id, visitor.pk, e.visit_id, e.views) for e in moved])
    visitor.visits = len(kept) + len(pairs)
    visitor.first_at = min(visitor.first_at, steps[0].event.time)
    visitor.last_at = max(visitor.last_at, steps[-1].event.time)
    return new


def _stored(site_id: int, visitor_id: int, visits: list[Visit]) -> list[StoredEvent]:
    """The visitor's own events in these visits, in order."""
    if not visits:
        return []
    rows = (
        Event.objects.filter(site_id=site_id, visitor_id=visitor_id, visit_id__in=[v.pk for v in visits])
        .exclude(kind__in=SERVER_KINDS)
        .values_list(*_COLUMNS)
    )
    events = [
        StoredEvent(time, pk, kind, page, query, referrer, traits or {}, *rest)
        for time, pk, kind, page, query, referrer, traits, *rest in rows
    ]
    return sorted(events, key=lambda e: (e.time, e.kind != Kind.VIEW, e.id))


def _campaign(event: StoredEvent) -> Campaign:
    said = event.kind == Kind.VIEW or event.campaign
    return campaign_of("?" + event.query) if said else NO_CAMPAIGN


Move = tuple[datetime, UUID, int, int | None, int]


def move_events(site_id: int, moves: list[Move]) -> None:
    """Give stored events (time, id) another visitor, visit and number of views, all by one statement."""
    if not moves:
        return
    times, ids, visitors, visits, views = map(list, zip(*moves, strict=True))
    with connection.cursor() as cursor:
        cursor.execute(
            "UPDATE events_event e SET visitor_id = m.visitor, visit_id = m.visit, views = m.views "
            "FROM unnest(%s::timestamptz[], %s::uuid[], %s::bigint[], %s::bigint[], %s::int[]) "
            "AS m(time, id, visitor, visit, views) "
            "WHERE e.site_id = %s AND e.time = m.time AND e.id = m.id AND e.time BETWEEN %s AND %s",
            [times, ids, visitors, visits, views, site_id, min(times), max(times)],
        )
