"""The rare way of storing: a visitor's visits anew, out of the stored events, from before one that came late."""

from __future__ import annotations

from bisect import bisect_right
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import datetime, timedelta
from uuid import UUID

from django.db import connection
from django.db.models import DateTimeField, F, Subquery, Value
from django.db.models.functions import Coalesce

from clabo.collect.events.models import SERVER_KINDS, Event, Kind, Visit, Visitor
from clabo.collect.events.storage.stitching import (
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
    identity_of,
)
from clabo.core.pages.addresses import NO_CAMPAIGN, Campaign, campaign_of
from clabo.core.pages.visits import Hit, continues, stitch
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids

_COLUMNS = (
    *("time", "id", "kind", "page_id", "query", "referrer", "element__traits"),
    *("device", "traffic_class", "campaign", "visit_id", "views", "visitor_id"),
)
_CHANGED = [f.name for f in Visit._meta.local_concrete_fields if f.name not in ("id", "site")]


def restitch(
    context: Context, late: Mapping[int, list[Step]], visitors: Mapping[int, Visitor]
) -> tuple[list[NewEvent], dict[int, datetime]]:
    """The visits that these visitors' late events change, anew; the new events among all, and since when each changed."""
    new: list[NewEvent] = []
    since: dict[int, datetime] = {}
    for visitor_id, own in late.items():
        since[visitor_id], made = _restitch_one(context, visitors[visitor_id], own)
        new += made
    return new, since


def _restitch_one(context: Context, visitor: Visitor, own: list[Step]) -> tuple[datetime, list[NewEvent]]:
    """Around each late event, only up to the next visit that begins as it did: what follows is the same but its number."""
    visits = _from(context, visitor, own[0].event.time)
    first = visits[0].number if visits else 1
    last_at = max(visitor.last_at, own[-1].event.time)
    since = min([own[0].event.time, *(v.started_at for v in visits[:1])])
    new: list[NewEvent] = []
    shift = place = 0
    while own:
        start = max(place, bisect_right(visits, own[0].event.time, key=lambda v: v.started_at) - 1)
        _renumber(visits[place:start], shift)
        stored: list[StoredEvent] = []
        stop = start
        while True:
            more = max(1, stop - start)
            stored += _stored(context, [visitor.pk], visits[stop : stop + more])
            stop = min(stop + more, len(visits))
            following = visits[stop] if stop < len(visits) else None
            fitting = [s for s in own if following is None or s.event.time < following.started_at]
            if following is None or _stands(following, stored, fitting, context.reading.gap):
                break
        redoing = _Redoing(context, visits[start:stop], stored)
        new += redoing.run([(visitor, first - 1 + start + shift, fitting)])
        shift += redoing.made - (stop - start)
        own, place = own[len(fitting) :], stop
    _renumber(visits[place:], shift)
    visitor.visits = first - 1 + len(visits) + shift
    visitor.last_at, visitor.first_at = last_at, min(visitor.first_at, since)
    return since, new


def _from(context: Context, visitor: Visitor, time: datetime) -> list[Visit]:
    """The visits from the last one on that began before `time`: in its reach a late event may lie."""
    whole = Visit.objects.filter(site_id=context.reading.site_id, visitor=visitor)
    last = whole.filter(started_at__lte=time).order_by("-started_at").values("started_at")[:1]
    since = Coalesce(Subquery(last), Value(time, DateTimeField()))
    return list(whole.filter(started_at__gte=since).order_by("started_at", "pk"))


def _stands(following: Visit, stored: Sequence[StoredEvent], own: Sequence[Step], gap: timedelta) -> bool:
    """Whether a stored visit begins as it did, after these events anew."""
    steps = sorted([*(Step(e, _campaign(e)) for e in stored), *own], key=lambda s: s.place)
    if not steps:
        return True
    last = stitch(map(hashed, steps), gap)[-1]
    begins = Hit(following.started_at, identity_of(following), following)
    return not continues(last.end, last.campaign, begins, gap)


def _renumber(visits: Sequence[Visit], by: int) -> None:
    if visits and by:
        Visit.objects.filter(in_array("id", [v.pk for v in visits])).update(number=F("number") + by)


def restitch_whole(
    context: Context, own: Mapping[int, list[Step]], visitors: Mapping[int, Visitor]
) -> list[NewEvent]:
    """All visits of visitors among whom stored events have changed hands; the new events (`own`) among all."""
    visits = list(Visit.objects.filter(in_array("visitor_id", own), site_id=context.reading.site_id))
    stored = _stored(context, own, visits)
    made = _Redoing(context, visits, stored).run([(visitors[pk], 0, own[pk]) for pk in sorted(own)])
    firsts: dict[int, datetime] = {}
    for event in [*stored, *(s.event for steps in own.values() for s in steps)]:
        firsts[event.visitor_id] = min(event.time, firsts.get(event.visitor_id, event.time))
    for pk, first in firsts.items():
        visitors[pk].first_at = first
    return made


class _Redoing:
    """Visits that are taken back, and made anew out of their stored events and new ones."""

    def __init__(self, context: Context, redone: Sequence[Visit], stored: Sequence[StoredEvent]) -> None:
        self.context = context
        self.by_pk = {v.pk: v for v in redone}
        self.left = dict(self.by_pk)
        self.stored: defaultdict[int, list[StoredEvent]] = defaultdict(list)
        self.again: list[Visit] = []
        self.created: list[NewVisit] = []
        self.pairs: list[Pair] = []
        self.made = 0
        self.before = [(event, event.visit_id, event.views) for event in stored]
        changes, reading = context.changes, context.reading
        for visit in redone:
            changes.visit(visit, -1)
        for event in stored:
            self.stored[event.visitor_id].append(event)
            if event.kind == Kind.VIEW:
                changes.view(self.by_pk[event.visit_id], event.page_id, reading.day(event.time), -1)

    def run(self, owners: Iterable[tuple[Visitor, int, list[Step]]]) -> list[NewEvent]:
        """For each visitor, how many visits stand before, and the new events."""
        for visitor, kept, own in owners:
            steps = [Step(e, _campaign(e)) for e in self.stored[visitor.pk]] + own
            steps.sort(key=lambda s: s.place)
            made = self._stitch(visitor, kept, steps)
            self.made += made
            visitor.visits = kept + made
            if steps:
                visitor.last_at = (
                    steps[-1].event.time if not kept else max(visitor.last_at, steps[-1].event.time)
                )
        begin_visits(self.context, self.pairs)
        for each, stretch in self.pairs:
            count_in(each, stretch)
        for fresh, visit_id in zip(self.created, new_ids(Visit, len(self.created)), strict=True):
            fresh.id = visit_id
        copy_in(Visit, self.created)
        Visit.objects.bulk_create(
            self.again, update_conflicts=True, unique_fields=["id"], update_fields=_CHANGED
        )
        if self.left:
            Visit.objects.filter(pk__in=list(self.left)).delete()
        new: list[NewEvent] = []
        for each, stretch in self.pairs:
            new += file_events(self.context, each, stretch)
        move_events(
            self.context.reading.site_id,
            [
                (e.time, e.id, e.visitor_id, e.visit_id, e.views)
                for e, visit, views in self.before
                if (visit, views) != (e.visit_id, e.views)
            ],
        )
        return new

    def _stitch(self, visitor: Visitor, kept: int, steps: list[Step]) -> int:
        site_id = self.context.reading.site_id
        stretches = stitch(map(hashed, steps), self.context.reading.gap)
        for number, stretch in enumerate(stretches, kept + 1):
            # A visit stays the one that its first event was in, so that few of them have to be moved.
            was = next((e.visit_id for h in stretch.hits if isinstance(e := h.item.event, StoredEvent)), None)
            old = self.left.pop(was, None) if was else None
            made: AnyVisit
            if old:
                made = Visit(
                    pk=old.pk, site_id=site_id, visitor=visitor, number=number, conversions=old.conversions
                )
                self.again.append(made)
            else:
                made = NewVisit(site_id, visitor.pk, number)
                self.created.append(made)
            made.network = self.by_pk[was].network if was else ""
            self.pairs.append((made, stretch))
        return len(stretches)


def _stored(context: Context, visitors: Collection[int], visits: Sequence[Visit]) -> list[StoredEvent]:
    """What these visitors' own browsers did in these visits, in order."""
    if not visits:
        return []
    rows = (
        Event.objects.filter(
            in_array("visitor_id", visitors),
            in_array("visit_id", [v.pk for v in visits]),
            site_id=context.reading.site_id,
        )
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
