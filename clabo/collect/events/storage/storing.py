"""Stores the events of one site: stitched into visits, once each, with the daily counts kept.

Two ways lead to the same result. Events that come after everything known of their visitor extend
the open visit or begin a new one. An event that comes late makes that visitor's visits be stitched
anew from before it, out of the stored events (restitching.py), so that the order of arrival never
matters. What servers report makes no visit: it is hung on one (hanging.py).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable
from dataclasses import dataclass, field, replace
from datetime import UTC, date, datetime, timedelta
from uuid import UUID

from clabo.collect.events import joining
from clabo.collect.events.exclusions import InForce
from clabo.collect.events.intake import busy, inventory
from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader
from clabo.collect.events.models import Element, Event, Page, Visit, Visitor
from clabo.collect.events.storage.bridge_reports import attach_reports
from clabo.collect.events.storage.restitching import restitch, restitch_whole
from clabo.collect.events.storage.rollups import Changes
from clabo.collect.events.storage.stitching import (
    Context,
    NewEvent,
    NewVisit,
    Pair,
    Step,
    begin_visits,
    count_in,
    file_events,
    hashed,
    identity_of,
)
from clabo.collect.ingest import refusals
from clabo.collect.ingest.models import REPEATED
from clabo.core.pages.addresses import Address
from clabo.core.pages.visits import Stretch, stitch
from clabo.platform.db import partitions
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids

# Since when, where all that is stored of somebody may have changed.
EVER = datetime.min.replace(tzinfo=UTC)

# How far an event's time may shift between two deliveries of it: the age is capped at 24 h.
REPEAT_SPAN = timedelta(hours=49)


@dataclass(slots=True)
class StoredBatch:
    """What a pipeline stage is told: new events, and visitors whose past was stitched anew."""

    reading: SiteReader
    events: list[NewEvent] = field(default_factory=list)
    pages: dict[int, Page] = field(default_factory=dict)
    # Those that nobody had seen before.
    new_pages: set[Address] = field(default_factory=set)
    elements: dict[int, Element] = field(default_factory=dict)
    # Whose past is another now, and since when (EVER: all of it).
    restitched: dict[int, datetime] = field(default_factory=dict)
    # Whose daily counts have changed, or on which something now belongs to others.
    days: set[date] = field(default_factory=set)
    # Split tests (by key) whose variant led somebody back to the control: test, visitor and when.
    led_back: list[tuple[str, UUID, datetime]] = field(default_factory=list)
    # Split tests that a page could not show as meant: key, why, the selector's place, visitor, time.
    hindered: list[tuple[str, str, int, UUID, datetime]] = field(default_factory=list)
    # Who took back their consent, and when.
    refused: list[tuple[UUID, datetime]] = field(default_factory=list)

    @property
    def site_id(self) -> int:
        return self.reading.site_id

    def visitors(self) -> set[int]:
        """Everybody whom it concerns."""
        return {e.visitor_id for e in self.events} | set(self.restitched)

    def changed(self, visitors: Iterable[int], since: datetime = EVER) -> None:
        """The past of these is another since then."""
        for visitor in visitors:
            self.restitched[visitor] = min(since, self.restitched.get(visitor, since))


def store(reading: SiteReader, parsed_events: Iterable[ParsedEvent]) -> StoredBatch:
    """Store what is new among `parsed_events`. The caller holds the site's lock and a transaction."""
    found = _without_repeats(reading.site_id, parsed_events)
    batch = StoredBatch(reading)
    # Of whoever takes back their consent nothing more is stored.
    fresh = [d for d in found if not d.refused]
    batch.refused = [(d.visitor_key, d.time) for d in found if d.refused]
    if not fresh:
        return batch
    partitions.ensure(Event._meta.db_table, {d.time for d in fresh})
    batch.led_back = [(d.back, d.visitor_key, d.time) for d in fresh if d.back]
    batch.hindered = [
        (key, why, place, d.visitor_key, d.time) for d in fresh for key, (why, place) in d.hindered.items()
    ]
    context = Context.of(reading)
    pages, new_pages = inventory.pages(reading.site_id, fresh, context.allowance)
    inventory.fold_visitors(reading.site_id, fresh, context.allowance)
    came = busy.keep_apart(reading, fresh)
    inventory.names(reading.site_id, fresh, context.allowance)
    elements = inventory.elements(reading.site_id, fresh, context.allowance)
    batch.pages = {p.pk: p for p in pages.values()}
    batch.new_pages = new_pages
    batch.elements = {e.pk: e for e in elements.values()}
    by_key: defaultdict[UUID, list[ParsedEvent]] = defaultdict(list)
    for parsed in fresh:
        if parsed.touches:
            by_key[parsed.visitor_key].append(parsed)
    for own in by_key.values():
        own.sort(key=lambda d: d.place)
    browsers, new_keys = inventory.visitors(
        reading.site_id, {key: (own[0].time, own[-1].time) for key, own in by_key.items()}, came
    )
    new = {browsers[key].pk for key in new_keys}
    rejoined = joining.settle(reading.site_id, joining.state(reading.site_id, fresh, browsers))
    if rejoined.visitors:
        context = replace(context, in_force=InForce(reading.site_id))
    visitors = inventory.persons(browsers.values(), rejoined.visitors)
    as_stored = {pk: None if pk in new else _kept_of(v) for pk, v in visitors.items()}
    for key in by_key.keys() & came.of_day.keys():
        browsers[key].busy_on, browsers[key].busy = came.of_day[key]
        browsers[key].events = came.in_all[key]
    steps: defaultdict[int, list[Step]] = defaultdict(list)
    for key, own in by_key.items():
        browser = browsers[key]
        owner = visitors[browser.pk].joined_to_id or browser.pk
        via = None if owner == browser.pk else browser.pk
        steps[owner] += [Step(_event(d, owner, pages, elements, via), d.campaign, d) for d in own]
    in_order: dict[int, list[Step]] = {}
    late: dict[int, list[Step]] = {}
    whole: dict[int, list[Step]] = {pk: [] for pk in rejoined.visitors}
    for pk, them in steps.items():
        visitor = visitors[pk]
        them.sort(key=lambda s: s.place)
        if pk in whole:
            whole[pk] = them
            continue
        if pk in new:
            visitor.visits = 0  # counted up again by stitching
        elif not visitor.visits:  # known only from what a server has reported
            visitor.first_at, visitor.last_at = them[0].event.time, them[-1].event.time
            as_stored[pk] = None
        # Of two in the same moment, too, the order must not be that of their arrival.
        is_late = visitor.visits > 0 and them[0].event.time <= visitor.last_at
        (late if is_late else in_order)[pk] = them
    known = set(visitors) - new | rejoined.visitors
    _extend(batch, context, in_order, visitors, known)
    if late:
        made, since = restitch(context, late, visitors)
        batch.events += made
        for pk, time in since.items():
            batch.changed([pk], time)
    if whole:
        batch.changed(whole)
        batch.events += restitch_whole(context, whole, visitors)
    reports = [(d, _event(d, 0, pages, elements)) for d in fresh if not d.touches]
    moved, moved_at = attach_reports(reading.site_id, reports, batch.events, known, rejoined.visitors)
    batch.changed(moved)
    batch.events += [event for _, event in reports]
    copy_in(Event, batch.events)
    _save([v for v in visitors.values() if as_stored[v.pk] != _kept_of(v)])
    batch.days = context.changes.days() | {reading.day(time) for time in [*moved_at, *rejoined.times]}
    context.changes.apply()
    context.allowance.save()
    return batch


def rejoin(reading: SiteReader, changed: Collection[tuple[int, int]]) -> StoredBatch:
    """What follows where statements (visitor, identity) came or ceased to count without an event.

    The caller holds the site's lock and a transaction, and tells the pipeline's hooks.
    """
    batch = StoredBatch(reading)
    rejoined = joining.settle(reading.site_id, changed)
    if rejoined.visitors:
        context = Context.of(reading)
        visitors = inventory.persons([], rejoined.visitors)
        restitch_whole(context, {pk: [] for pk in rejoined.visitors}, visitors)
        moved, moved_at = attach_reports(reading.site_id, [], [], (), rejoined.visitors)
        _save(list(visitors.values()))
        batch.changed(rejoined.visitors | moved)
        batch.days = context.changes.days() | {reading.day(time) for time in [*moved_at, *rejoined.times]}
        context.changes.apply()
        context.allowance.save()
    return batch


def restitch_all(reading: SiteReader, people: Collection[int]) -> None:
    """Make all visits of these people anew, and count them in; what the daily counts hold of them is gone already.

    The caller holds the site's lock and a transaction, and tells the pipeline's hooks.
    """
    context = replace(Context.of(reading), changes=Changes(reading.site_id, anew=True))
    visitors = inventory.persons([], people)
    restitch_whole(context, {pk: [] for pk in people}, visitors)
    attach_reports(reading.site_id, [], [], (), people)
    _save(list(visitors.values()))
    context.changes.apply()
    context.allowance.save()


def _kept_of(visitor: Visitor) -> tuple[object, ...]:
    """What a batch may change of a visitor."""
    return visitor.first_at, visitor.last_at, visitor.visits, visitor.busy_on, visitor.busy, visitor.events


def _save(visitors: list[Visitor]) -> None:
    Visitor.objects.bulk_create(
        visitors,
        update_conflicts=True,
        unique_fields=["id"],
        update_fields=["first_at", "last_at", "visits", "busy_on", "busy", "events"],
    )


def _without_repeats(site_id: int, parsed_events: Iterable[ParsedEvent]) -> list[ParsedEvent]:
    by_id: dict[UUID, ParsedEvent] = {}
    for parsed in parsed_events:
        by_id.setdefault(parsed.id, parsed)
    if not by_id:
        return []
    times = [d.time for d in by_id.values()]
    stored = Event.objects.filter(
        in_array("id", by_id, "uuid"),
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
    parsed: ParsedEvent,
    visitor_id: int,
    pages: dict[Address, Page],
    elements: dict[inventory.ElementKey, Element],
    via: int | None = None,
) -> NewEvent:
    element = elements[inventory.element_key(parsed)] if parsed.element is not None else None
    page = pages[parsed.page]
    return NewEvent(
        page.site_id,
        parsed.time,
        parsed.id,
        parsed.kind,
        visitor_id,
        page.pk,
        parsed.query,
        parsed.referrer,
        parsed.name,
        parsed.properties,
        element.pk if element else None,
        parsed.order,
        parsed.received,
        parsed.device,
        parsed.traffic_class,
        parsed.says_campaign,
        parsed.proven,
        parsed.reference,
        dict(parsed.variants) or None,
        via,
    )


def _extend(
    batch: StoredBatch,
    context: Context,
    steps: dict[int, list[Step]],
    visitors: dict[int, Visitor],
    known: set[int],
) -> None:
    """The usual way: continue the visitor's last visit or begin new ones."""
    reading = batch.reading
    open_visits: dict[int, Visit] = {}
    wanted = [pk for pk in steps if pk in known]
    if wanted:
        earliest = min(steps[pk][0].event.time for pk in wanted) - reading.gap
        # Any visit that can still be open ended after `earliest`, and began at most a visit before.
        for last in Visit.objects.filter(
            in_array("visitor_id", wanted), site_id=reading.site_id, ended_at__gte=earliest
        ).order_by("started_at"):
            open_visits[last.visitor_id] = last
    pairs: list[Pair] = []
    created: list[NewVisit] = []
    begun: list[Pair] = []
    touched: list[Visit] = []
    for visitor_id, own in steps.items():
        visitor, open_visit = visitors[visitor_id], open_visits.get(visitor_id)
        before = None
        if open_visit:
            before = Stretch[Step](open_visit.started_at, open_visit.ended_at, identity_of(open_visit))
        for stretch in stitch(map(hashed, own), reading.gap, before):
            if stretch is before:
                assert open_visit
                if stretch.hits:
                    context.changes.visit(open_visit, -1)
                    touched.append(open_visit)
                    pairs.append((open_visit, stretch))
            else:
                visitor.visits += 1
                visit = NewVisit(reading.site_id, visitor_id, visitor.visits)
                created.append(visit)
                begun.append((visit, stretch))
                pairs.append((visit, stretch))
        visitor.last_at = max(visitor.last_at, own[-1].event.time)
    begin_visits(context, begun)
    viewless = [visit for visit in touched if not visit.views]
    for each, stretch in pairs:
        count_in(each, stretch)
    # With its first view a visit becomes one that conversions before it in the visit can be credited to.
    for opened in viewless:
        if opened.views:
            batch.changed([opened.visitor_id], opened.started_at)
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
        batch.events += file_events(context, each, stretch)
