"""Stores the events of one site: stitched into visits, once each, with the daily counts kept.

Two ways lead to the same result. Events that come after everything known of their visitor extend
the open visit or begin a new one. An event that comes late makes that visitor's visits be stitched
anew from before it, out of the stored events, so that the order of arrival never matters.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from uuid import UUID

from clabo.collect import inventory, partitions, refusals
from clabo.collect.among import among
from clabo.collect.copying import copy_in, new_ids
from clabo.collect.drafts import Draft, Reading
from clabo.collect.inventory import Beginning
from clabo.collect.models import (
    KIND_NAMES,
    REPEATED,
    Element,
    Event,
    Kind,
    Page,
    Standing,
    Visit,
    Visitor,
    fingerprint,
)
from clabo.collect.rollups import Changes
from clabo.core.addresses import NO_CAMPAIGN, Address, Campaign, campaign_of
from clabo.core.visits import Hit, Stretch, is_interaction, stitch

# How far an event's time may shift between two deliveries of it: the age is capped at 24 h.
REPEAT_SPAN = timedelta(hours=49)
_NEVER, _NO_DAY = datetime.min, date.min


@dataclass(slots=True)
class NewEvent:
    """A row of Event on its way in; a model instance costs more to make than to store."""

    site_id: int
    time: datetime
    id: UUID
    kind: int
    visitor_id: int
    page_id: int
    query: str
    referrer: str
    name: str
    properties: dict[str, object] | None
    element_id: int | None
    order: str
    visit_id: int = 0
    views: int = 1


@dataclass(slots=True)
class NewVisit:
    """A row of Visit on its way in. Its times, origin and device come with its first hits."""

    site_id: int
    visitor_id: int
    number: int
    id: int = 0
    started_at: datetime = _NEVER
    ended_at: datetime = _NEVER
    day: date = _NO_DAY
    entry_page_id: int | None = None
    exit_page_id: int | None = None
    views: int = 0
    interacted: bool = False
    conversions: int = 0
    origin_id: int = 0
    channel: str = ""
    campaign_fingerprint: str = ""
    sub_ids: dict[str, str] | None = None
    referrer: str = ""
    device: int = 0
    standing: int = Standing.COUNTED


AnyVisit = Visit | NewVisit


@dataclass(slots=True)
class StoredBatch:
    """What a pipeline stage is told: new events, and visitors whose past was stitched anew."""

    reading: Reading
    events: list[NewEvent]
    claims: list[tuple[NewEvent, UUID, dict[str, str]]]
    pages: dict[int, Page] = field(default_factory=dict)
    elements: dict[int, Element] = field(default_factory=dict)
    restitched: set[int] = field(default_factory=set)
    # Whose daily counts have changed.
    days: set[date] = field(default_factory=set)

    @property
    def site_id(self) -> int:
        return self.reading.site_id


@dataclass(slots=True)
class _Step:
    """An event on its way through stitching: new (with its draft) or stored before."""

    event: Event | NewEvent
    campaign: Campaign
    draft: Draft | None = None

    def traits(self) -> Mapping[str, object]:
        """What is known of the element that was acted on."""
        if self.draft:
            return self.draft.element or {}
        element = self.event.element if isinstance(self.event, Event) else None
        return element.traits if element else {}


def store(reading: Reading, drafts: Iterable[Draft]) -> StoredBatch:
    """Store what is new among `drafts`. The caller holds the site's lock and a transaction."""
    fresh = _without_repeats(reading.site_id, drafts)
    batch = StoredBatch(reading, [], [])
    if not fresh:
        return batch
    partitions.ensure({d.time for d in fresh})
    pages = inventory.pages(reading.site_id, fresh)
    elements = inventory.elements(reading.site_id, fresh)
    batch.pages = {p.pk: p for p in pages.values()}
    batch.elements = {e.pk: e for e in elements.values()}
    by_visitor: defaultdict[UUID, list[Draft]] = defaultdict(list)
    for draft in fresh:
        by_visitor[draft.visitor_key].append(draft)
    for own in by_visitor.values():
        own.sort(key=lambda d: d.time)
    visitors, new_keys = inventory.visitors(
        reading.site_id, {key: (own[0].time, own[-1].time) for key, own in by_visitor.items()}
    )
    as_stored = {v.pk: (v.first_at, v.last_at, v.visits) for v in visitors.values()}
    for key in new_keys:
        visitors[key].visits = 0  # counted up again by stitching
    changes = Changes(reading.site_id)
    in_order: dict[int, list[_Step]] = {}
    late: dict[int, list[_Step]] = {}
    for key, own in by_visitor.items():
        visitor = visitors[key]
        steps = [_Step(_event(d, visitor, pages, elements), d.campaign, d) for d in own]
        is_late = key not in new_keys and own[0].time < visitor.last_at
        (late if is_late else in_order)[visitor.pk] = steps
    by_id = {v.pk: v for v in visitors.values()}
    known = {v.pk for v in visitors.values() if v.key not in new_keys}
    _extend(batch, in_order, by_id, known, changes)
    if late:
        _restitch(batch, late, by_id, changes)
    copy_in(Event, batch.events)
    Visitor.objects.bulk_create(
        [v for v in by_id.values() if as_stored[v.pk] != (v.first_at, v.last_at, v.visits)],
        update_conflicts=True,
        unique_fields=["id"],
        update_fields=["first_at", "last_at", "visits"],
    )
    batch.days = changes.days()
    changes.apply()
    return batch


def _without_repeats(site_id: int, drafts: Iterable[Draft]) -> list[Draft]:
    by_id: dict[UUID, Draft] = {}
    for draft in drafts:
        by_id.setdefault(draft.id, draft)
    if not by_id:
        return []
    times = [d.time for d in by_id.values()]
    stored = Event.objects.filter(
        among("id", by_id, "uuid"),
        site_id=site_id,
        time__gte=min(times) - REPEAT_SPAN,
        time__lte=max(times) + REPEAT_SPAN,
    ).values_list("id", flat=True)
    told = len(by_id)
    for known in stored:
        del by_id[known]
    if repeated := told - len(by_id):
        refusals.note(site_id, REPEATED, repeated)
    return list(by_id.values())


def _event(
    draft: Draft, visitor: Visitor, pages: dict[Address, Page], elements: dict[inventory.ElementKey, Element]
) -> NewEvent:
    element = elements[inventory.element_key(draft)] if draft.element is not None else None
    return NewEvent(
        visitor.site_id,
        draft.time,
        draft.id,
        draft.kind,
        visitor.pk,
        pages[draft.page].pk,
        draft.query,
        draft.referrer,
        draft.name,
        draft.properties,
        element.pk if element else None,
        draft.order,
    )


def _hit(step: _Step) -> Hit[_Step]:
    return Hit(step.event.time, step.campaign.identity if step.campaign else None, step)


def _extend(
    batch: StoredBatch,
    steps: dict[int, list[_Step]],
    visitors: dict[int, Visitor],
    known: set[int],
    changes: Changes,
) -> None:
    """The usual way: continue the visitor's last visit or begin new ones."""
    reading = batch.reading
    open_visits: dict[int, Visit] = {}
    wanted = [pk for pk in steps if pk in known]
    if wanted:
        earliest = min(steps[pk][0].event.time for pk in wanted) - reading.gap
        # Any visit that can still be open ended after `earliest`, and began at most a visit before.
        for last in Visit.objects.filter(
            among("visitor_id", wanted), site_id=reading.site_id, ended_at__gte=earliest
        ).order_by("started_at"):
            open_visits[last.visitor_id] = last
    pairs: list[tuple[AnyVisit, Stretch[_Step]]] = []
    created: list[NewVisit] = []
    begun: list[tuple[AnyVisit, Stretch[_Step]]] = []
    touched: list[Visit] = []
    for visitor_id, own in steps.items():
        visitor, open_visit = visitors[visitor_id], open_visits.get(visitor_id)
        before = None
        if open_visit:
            before = Stretch[_Step](open_visit.started_at, open_visit.ended_at, _identity(open_visit))
        for stretch in stitch(map(_hashed, own), reading.gap, before):
            if stretch is before:
                assert open_visit
                if stretch.hits:
                    changes.visit(open_visit, -1)
                    touched.append(open_visit)
                    pairs.append((open_visit, stretch))
            else:
                visitor.visits += 1
                visit = NewVisit(reading.site_id, visitor_id, visitor.visits)
                created.append(visit)
                begun.append((visit, stretch))
                pairs.append((visit, stretch))
        visitor.last_at = max(visitor.last_at, own[-1].event.time)
    _begin(reading, begun)
    for each, stretch in pairs:
        _count_in(each, stretch)
    for visit, visit_id in zip(created, new_ids(Visit, len(created)), strict=True):
        visit.id = visit_id
    copy_in(Visit, created)
    if touched:
        Visit.objects.bulk_create(
            touched,
            update_conflicts=True,
            unique_fields=["id"],
            update_fields=["ended_at", "entry_page", "exit_page", "views", "interacted"],
        )
    for each, stretch in pairs:
        _file(batch, each, stretch, changes)


def _hashed(step: _Step) -> Hit[_Step]:
    """The hit with its campaign as a fingerprint, as visits keep it."""
    hit = _hit(step)
    if hit.campaign is not None:
        hit.campaign = (fingerprint(*hit.campaign),)
    return hit


def _identity(visit: Visit) -> tuple[str, ...] | None:
    return (visit.campaign_fingerprint,) if visit.campaign_fingerprint else None


def _begin(reading: Reading, pairs: Sequence[tuple[AnyVisit, Stretch[_Step]]]) -> None:
    """Fill in what a visit takes from its first hit."""
    beginnings = []
    for _, stretch in pairs:
        first = stretch.hits[0].item
        beginnings.append(Beginning.of(first.campaign, first.event.referrer))
    origins = inventory.origins(reading, beginnings)
    for (visit, stretch), beginning in zip(pairs, beginnings, strict=True):
        first = stretch.hits[0].item
        origin = origins[beginning]
        visit.started_at = stretch.start
        visit.day = reading.day(stretch.start)
        visit.origin_id, visit.channel = origin.pk, origin.channel
        visit.referrer = first.event.referrer
        visit.campaign_fingerprint = stretch.campaign[0] if stretch.campaign else ""
        visit.sub_ids = dict(first.campaign.sub_ids) or None
        if first.draft:
            visit.device, visit.standing = first.draft.device, first.draft.standing


def _count_in(visit: AnyVisit, stretch: Stretch[_Step]) -> None:
    """Bring the visit's own counts up to date with new hits."""
    visit.ended_at = stretch.end
    for hit in stretch.hits:
        event = hit.item.event
        if event.kind == Kind.VIEW:
            visit.views += 1
            if visit.entry_page_id is None:
                visit.entry_page_id = event.page_id
            visit.exit_page_id = event.page_id
        elif is_interaction(KIND_NAMES[event.kind], hit.item.traits()):
            visit.interacted = True
        event.views = visit.views


def _file(batch: StoredBatch, visit: AnyVisit, stretch: Stretch[_Step], changes: Changes) -> None:
    """Give the new events their visit, and the daily counts theirs."""
    changes.visit(visit, +1)
    for hit in stretch.hits:
        event, draft = hit.item.event, hit.item.draft
        event.visit_id = visit.id
        if event.kind == Kind.VIEW:
            changes.view(visit, event.page_id, batch.reading.day(event.time), +1)
        if draft and isinstance(event, NewEvent):
            batch.events.append(event)
            if draft.variants:
                batch.claims.append((event, draft.visitor_key, dict(draft.variants)))


def _restitch(
    batch: StoredBatch, late: dict[int, list[_Step]], visitors: dict[int, Visitor], changes: Changes
) -> None:
    """The rare way: visits of these visitors anew, from the last one that began before the late event."""
    reading = batch.reading
    for visitor_id, own in late.items():
        visitor = visitors[visitor_id]
        visits = list(
            Visit.objects.filter(site_id=reading.site_id, visitor_id=visitor_id).order_by("started_at", "id")
        )
        kept = [v for v in visits if v.started_at <= own[0].event.time][:-1]
        # An older visit in whose reach the late event lies stays untouched: the one after it is redone.
        redone = visits[len(kept) :]
        stored = list(
            Event.objects.filter(
                site_id=reading.site_id, visitor_id=visitor_id, visit_id__in=[v.pk for v in redone]
            )
            .select_related("element")
            .order_by("time", "id")
        )
        by_pk = {v.pk: v for v in redone}
        for visit in redone:
            changes.visit(visit, -1)
        for event in stored:
            if event.kind == Kind.VIEW:
                changes.view(by_pk[event.visit_id], event.page_id, reading.day(event.time), -1)
        steps = [_Step(e, _campaign(e)) for e in stored] + own
        steps.sort(key=lambda s: s.event.time)
        sample = redone[0] if redone else None
        before = {id(e): (e.visit_id, e.views) for e in stored}
        pairs: list[tuple[Visit, Stretch[_Step]]] = []
        for place, stretch in enumerate(stitch(map(_hashed, steps), reading.gap)):
            old = redone[place] if place < len(redone) else None
            visit = Visit(site_id=reading.site_id, visitor_id=visitor_id, number=len(kept) + place + 1)
            visit.pk = old.pk if old else None
            visit.conversions = old.conversions if old else 0
            like = old or sample
            if like:
                visit.device, visit.standing = like.device, like.standing
            pairs.append((visit, stretch))
        _begin(reading, pairs)
        for visit, stretch in pairs:
            _count_in(visit, stretch)
            visit.save()
        surplus = [v.pk for v in redone[len(pairs) :]]
        if surplus:
            Visit.objects.filter(pk__in=surplus).delete()
        for visit, stretch in pairs:
            _file(batch, visit, stretch, changes)
        for event in stored:
            if before[id(event)] != (event.visit_id, event.views):
                Event.objects.filter(site_id=event.site_id, time=event.time, id=event.id).update(
                    visit_id=event.visit_id, views=event.views
                )
        visitor.visits = len(kept) + len(pairs)
        visitor.first_at = min(visitor.first_at, steps[0].event.time)
        visitor.last_at = max(visitor.last_at, steps[-1].event.time)
        batch.restitched.add(visitor_id)


def _campaign(event: Event) -> Campaign:
    # A step over a bridge link began a visit by its own address only where nothing else was known of the visitor.
    said = event.kind == Kind.VIEW or (event.kind == Kind.STEP and event.views == 0)
    return campaign_of("?" + event.query) if said else NO_CAMPAIGN
