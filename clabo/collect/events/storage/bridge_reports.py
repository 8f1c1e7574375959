"""Where what a server reports belongs (sales over bridge links, outcomes): it makes no visit, and is hung on one (definitions: "Touching events").

On the visit of the event that it refers to; else on the visitor's last visit before it; else on none. Whatever changes
one of these (a step that comes after its sale, a late visit) hangs it anew.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from datetime import datetime
from uuid import UUID

from django.db.models import Q

from clabo.collect.events.intake import inventory
from clabo.collect.events.intake.parsing import ParsedEvent
from clabo.collect.events.models import SERVER_KINDS, Event, Kind, Visit, Visitor
from clabo.collect.events.storage.restitching import Move, move_events
from clabo.collect.events.storage.stitching import NewEvent
from clabo.platform.db.arrays import in_array

Owner = tuple[int, int | None]  # visitor, visit


def attach_reports(
    site_id: int,
    reports: Sequence[tuple[ParsedEvent, NewEvent]],
    touching: Sequence[NewEvent],
    known: Collection[int],
    rejoined: Collection[int] = (),
) -> tuple[set[int], list[datetime]]:
    """Give `reports` their visitor and visit, and those stored before where `touching` has changed theirs.

    `known`: visitors of `touching` who were known before; `rejoined`: visitors whose visits are all others now. Returns the visitors whose stored reports were
    moved, or may be credited to other visits than before; and when those happened that were moved.
    """
    new_steps = {e.id: (e.visitor_id, e.visit_id) for e in touching if e.kind == Kind.STEP}
    concerned = {e.visitor_id for e in touching} & set(known) | set(rejoined)
    before = _stored(site_id, concerned, new_steps)
    if not reports and not before:
        return set(), []
    wanted = {d.reference for d, _ in reports} | {row[4] for row in before}
    outcomes_of = {row[4] for row in before if row[5] == Kind.OUTCOME and row[4]}
    steps = _referred(site_id, {w for w in wanted if w} - set(new_steps), outcomes_of) | new_steps
    nameless = [(d, e) for d, e in reports if d.reference not in steps]
    by_key = _visitors(site_id, [d for d, _ in nameless])
    lone = [row for row in before if row[4] not in steps]
    visits = _visits(site_id, {row[2] for row in lone} | {v.joined_to_id or v.pk for v in by_key.values()})
    for parsed, event in reports:
        owner = steps.get(parsed.reference) if parsed.reference else None
        if owner is None:
            browser = by_key[parsed.visitor_key]
            visitor = browser.joined_to_id or browser.pk
            event.via_id = browser.pk if browser.joined_to_id else None
            owner = (visitor, _last_before(visits[visitor], event.time))
        event.visitor_id, event.visit_id = owner
    earliest: dict[int, datetime] = {}
    for event in touching:
        earliest[event.visitor_id] = min(event.time, earliest.get(event.visitor_id, event.time))
    moves: list[Move] = []
    moved: set[int] = set()
    for time, event_id, visitor, visit, reference, _ in before:
        owner = steps.get(reference) if reference else None
        if owner is None:
            owner = (visitor, _last_before(visits[visitor], time))
        # A visit that came before it, and is told of only now, may take credit for it.
        if visitor in earliest and earliest[visitor] <= time:
            moved.add(visitor)
        if owner != (visitor, visit):
            moves.append((time, event_id, *owner, 0))
            moved |= {visitor, owner[0]}
    move_events(site_id, moves)
    return moved, [time for time, *_ in moves]


def _stored(
    site_id: int, visitors: Collection[int], steps: Collection[UUID]
) -> list[tuple[datetime, UUID, int, int | None, UUID | None, int]]:
    """Reports stored before, of these visitors or for these steps."""
    if not visitors and not steps:
        return []
    which = in_array("visitor_id", visitors) | in_array("reference", steps, "uuid")
    rows = Event.objects.filter(which, site_id=site_id, kind__in=SERVER_KINDS)
    return list(rows.values_list("time", "id", "visitor_id", "visit_id", "reference", "kind"))


def _referred(site_id: int, ids: Collection[UUID], outcomes_of: Collection[UUID]) -> dict[UUID | None, Owner]:
    """Whose the events are that reports refer to: sales to steps only, outcomes to anything."""
    if not ids:
        return {}
    rows = Event.objects.filter(in_array("id", ids, "uuid"), site_id=site_id)
    rows = rows.filter(Q(kind=Kind.STEP) | in_array("id", outcomes_of, "uuid"))
    return {pk: (visitor, visit) for pk, visitor, visit in rows.values_list("id", "visitor_id", "visit_id")}


def _visitors(site_id: int, parsed_events: Sequence[ParsedEvent]) -> dict[UUID, Visitor]:
    """The visitors that these name, made where they have not been seen yet."""
    if not parsed_events:
        return {}
    times: dict[UUID, tuple[datetime, datetime]] = {}
    for parsed in parsed_events:
        first, last = times.get(parsed.visitor_key, (parsed.time, parsed.time))
        times[parsed.visitor_key] = (min(first, parsed.time), max(last, parsed.time))
    found, _ = inventory.visitors(site_id, times, visits=0)
    return found


def _visits(site_id: int, visitors: Collection[int]) -> defaultdict[int, list[tuple[datetime, int]]]:
    found: defaultdict[int, list[tuple[datetime, int]]] = defaultdict(list)
    if visitors:
        rows = Visit.objects.filter(in_array("visitor_id", visitors), site_id=site_id).order_by(
            "started_at", "id"
        )
        for visitor, start, pk in rows.values_list("visitor_id", "started_at", "id"):
            found[visitor].append((start, pk))
    return found


def _last_before(visits: Sequence[tuple[datetime, int]], time: datetime) -> int | None:
    return next((pk for start, pk in reversed(visits) if start <= time), None)
