"""Which events are conversions, kept equal to what the rules say.

There is one way only, for new hits, for late ones and for a changed rule: what the stored events
of a visitor say now is compared with the conversions that stand, and the difference is written.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from decimal import Decimal
from uuid import UUID

from django.db.models import QuerySet

from clabo.collect.events.models import Event, Kind, TrafficClass, Visit, Visitor
from clabo.collect.events.storage.rollups import Changes
from clabo.collect.presence.keeping import keep_conversions
from clabo.core import rules
from clabo.core.money.conversion_value import value_of_event
from clabo.core.outcomes.stages import TakenBack, taken_back
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in, new_ids
from clabo.setup.conversions.crediting import credit_conversions
from clabo.setup.conversions.limiting import limit_days
from clabo.setup.conversions.matching.selecting import Inventory, events_met
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.sites.models import Site


@dataclass(frozen=True, slots=True)
class Candidate:
    """An event that meets a rule."""

    event_id: UUID
    time: datetime
    visitor: int
    visit: int | None
    # It enters reports: its visit does, or none is known.
    reported: bool
    order: str = ""
    value: Decimal | None = None
    currency: str = ""
    # What an outcome is of: the event, and when that happened.
    subject: UUID | None = None
    acted_at: datetime | None = None


@dataclass(frozen=True, slots=True)
class Reconciled:
    """How many conversions came and went, and since when."""

    added: int = 0
    removed: int = 0
    since: datetime | None = None

    def __add__(self, other: Reconciled) -> Reconciled:
        times = [t for t in (self.since, other.since) if t]
        return Reconciled(self.added + other.added, self.removed + other.removed, min(times, default=None))


def reconcile(
    site_id: int,
    the_rules: Collection[ConversionRule],
    visitor_ids: Collection[int] | None = None,
    afresh: Mapping[int, datetime] | None = None,
    known: Inventory | None = None,
    limited: bool = True,
) -> dict[int, Reconciled]:
    """Make the conversions of `the_rules` what the stored events say, of everybody or of some.

    Visitors who share an order number with some of `visitor_ids` are settled too, for it counts once
    only. Visitors in `afresh` get their conversions since then made and credited anew, because their visits
    were. Call with the site's lock held. Also brings the visits' conversion counts, the bounces that
    depend on them and the credits up to date, and which values lie beyond the day's limits; not that last one with
    `limited` false, where the caller calls `limit_days` when it has settled everybody. Result by rule id.
    """
    known = known or Inventory(site_id)
    afresh = afresh or {}
    if visitor_ids is not None:
        visitor_ids = _with_order_sharers(site_id, visitor_ids)
    result: dict[int, Reconciled] = {}
    touched_visits: set[int | None] = set()
    days: list[tuple[ConversionRule, set[datetime]]] = []
    to_credit: list[Conversion] = []
    back = taken_back_of(site_id, visitor_ids) if the_rules else {}
    zone = Site.objects.only("time_zone").get(pk=site_id).zone
    for rule in the_rules:
        stored = Conversion.objects.filter(site_id=site_id, rule=rule)
        if visitor_ids is not None:
            stored = stored.filter(in_array("visitor_id", visitor_ids))
        old = {c.event_id: c for c in stored}
        new = {} if rule.deleted_at else _candidates(rule, known, visitor_ids, back)
        gone = [c for e, c in old.items() if e not in new or _is_due(c, afresh) or _differs(c, new[e])]
        stale = {c.event_id for c in gone}
        made = [
            Conversion(
                site_id=site_id,
                rule=rule,
                event_id=e,
                time=c.time,
                acted_at=c.acted_at,
                day=c.time.astimezone(zone).date(),
                visitor_id=c.visitor,
                visit_id=c.visit,
                value=c.value,
                currency=c.currency,
                order=c.order,
            )
            for e, c in new.items()
            if e not in old or e in stale
        ]
        if gone:
            Conversion.objects.filter(pk__in=[c.pk for c in gone]).delete()
        for conversion, pk in zip(made, new_ids(Conversion, len(made)), strict=True):
            conversion.pk = pk
        copy_in(Conversion, made)
        to_credit += made
        touched_visits |= {c.visit_id for c in gone} | {c.visit_id for c in made}
        days.append((rule, {c.time for c in old.values()} | {c.time for c in new.values()}))
        added = [c.time for c in made if c.event_id not in old]
        removed = [c.time for c in gone if c.event_id not in new]
        result[rule.pk] = Reconciled(len(added), len(removed), min(added + removed, default=None))
        _keep_presence(site_id, rule, [*gone, *made], new.values())
    credit_conversions(site_id, to_credit)
    for rule, times in days if limited else []:
        limit_days(rule, times)
    count_visits(site_id, {v for v in touched_visits if v is not None})
    return result


def _keep_presence(
    site_id: int, rule: ConversionRule, changed: Collection[Conversion], now: Collection[Candidate]
) -> None:
    """Bring the index of who converted when up to date, where conversions came or went."""
    if not changed:
        return
    zone = Site.objects.only("time_zone").get(pk=site_id).zone
    numbers = dict(
        Visitor.objects.filter(in_array("id", {c.visitor_id for c in changed})).values_list("id", "number")
    )
    # Days as they were stored: the site's zone may have changed.
    before = {(c.day, numbers[c.visitor_id]) for c in changed}
    held = {
        (c.time.astimezone(zone).date(), numbers[c.visitor])
        for c in now
        if c.reported and c.visitor in numbers
    }
    keep_conversions(site_id, rule.pk, before, before & held)


def _with_order_sharers(site_id: int, visitor_ids: Collection[int]) -> set[int]:
    """These visitors, and those who sent or had counted an order number that one of these has sent."""
    some = set(visitor_ids)
    events = Event.objects.filter(site_id=site_id).exclude(order="")
    orders = set(events.filter(in_array("visitor_id", some)).values_list("order", flat=True))
    counted = Conversion.objects.filter(in_array("visitor_id", some), site_id=site_id).exclude(order="")
    orders |= set(counted.values_list("order", flat=True))
    if orders:
        some |= set(events.filter(order__in=orders).values_list("visitor_id", flat=True))
    return some


def _is_due(conversion: Conversion, afresh: Mapping[int, datetime]) -> bool:
    since = afresh.get(conversion.visitor_id)
    return since is not None and conversion.time >= since


def _differs(conversion: Conversion, candidate: Candidate) -> bool:
    return (
        conversion.visitor_id != candidate.visitor
        or conversion.visit_id != candidate.visit
        or conversion.time != candidate.time
        or conversion.acted_at != candidate.acted_at
        or conversion.value != candidate.value
        or conversion.currency != candidate.currency
        or conversion.order != candidate.order
    )


def _candidates(
    rule: ConversionRule,
    known: Inventory,
    visitor_ids: Collection[int] | None,
    back: Mapping[UUID, TakenBack],
) -> dict[UUID, Candidate]:
    met = events_of(rule, known)
    events = met if visitor_ids is None else met.filter(in_array("visitor_id", visitor_ids))
    found = _with_worth(rule, events) if rule.value_property else _with_value(rule, events)
    found = _with_subjects(rule.site_id, found)
    if back:
        found = [replace(c, value=b.left(c.value)) if (b := _back_of(c, back)) else c for c in found]
    winners = _orders(met, None if visitor_ids is None else {c.order for c in found if c.order})
    counted = (
        c
        for c in found
        if (not c.order or winners[c.order, c.reported] == c.event_id)
        and not ((b := _back_of(c, back)) and b.cancelled)
    )
    # Own visits, rehearsals and bots count among themselves: what no report shows takes no order and no first time
    # away from what they show.
    by_reported: dict[bool, list[Candidate]] = {True: [], False: []}
    for candidate in counted:
        by_reported[candidate.reported].append(candidate)
    mode: rules.Counting = rule.counting  # type: ignore[assignment]
    return {c.event_id: c for some in by_reported.values() for c in rules.by_mode(some, mode)}


def _back_of(candidate: Candidate, back: Mapping[UUID, TakenBack]) -> TakenBack | None:
    return back.get(candidate.subject or candidate.event_id)


def taken_back_of(site_id: int, visitor_ids: Collection[int] | None) -> dict[UUID, TakenBack]:
    """What outcomes take back, by the event that they are of: of everybody, or of some."""
    events = Event.objects.filter(site_id=site_id, kind=Kind.OUTCOME)
    if visitor_ids is not None:
        events = events.filter(in_array("visitor_id", visitor_ids))
    found: dict[UUID, TakenBack] = {}
    for subject, said in events.values_list("reference", "properties"):
        back = taken_back((said or {}).get("effect", "reached"), said or {})
        if subject is not None and back != TakenBack():
            found[subject] = found.get(subject, TakenBack()) + back
    return found


def _with_subjects(site_id: int, candidates: list[Candidate]) -> list[Candidate]:
    """The same, outcomes among them with the time of what they are of."""
    wanted = {c.subject for c in candidates if c.subject}
    if not wanted:
        return candidates
    rows = Event.objects.filter(in_array("id", wanted, "uuid"), site_id=site_id)
    at = dict(rows.values_list("id", "time"))
    return [replace(c, acted_at=at.get(c.subject)) if c.subject else c for c in candidates]


def events_of(rule: ConversionRule, known: Inventory) -> QuerySet[Event]:
    """The events that meet a rule; only proven ones where it asks for that."""
    met = events_met(known.site_id, rules.parse(rule.rule, known.reading), known)
    return met.filter(proven=True) if rule.proven_only else met


def _orders(met: QuerySet[Event], orders: Collection[str] | None) -> dict[tuple[str, bool], UUID]:
    """For each order number, among what reports show and among the rest, the event that was received first."""
    first: dict[tuple[str, bool], UUID] = {}
    if orders is not None and not orders:
        return first
    rows = met.exclude(order="") if orders is None else met.filter(order__in=orders)
    rows = rows.order_by("received", "id")
    for order, traffic_class, event_id in rows.values_list("order", "visit__traffic_class", "id"):
        first.setdefault((order, is_reported(traffic_class)), event_id)
    return first


def is_reported(traffic_class: int | None) -> bool:
    """Whether what has this visit's traffic class (None: no visit is known) enters reports."""
    return traffic_class is None or traffic_class == TrafficClass.COUNTED


_CANDIDATE = ("id", "time", "visitor_id", "visit_id", "visit__traffic_class", "order", "kind", "reference")


def _with_value(rule: ConversionRule, events: QuerySet[Event]) -> list[Candidate]:
    rows = events.order_by("time", "id").values_list(*_CANDIDATE)
    return [
        Candidate(
            event_id,
            time,
            visitor,
            visit,
            is_reported(traffic_class),
            order,
            rule.value,
            subject=reference if kind == Kind.OUTCOME else None,
        )
        for event_id, time, visitor, visit, traffic_class, order, kind, reference in rows
    ]


def _with_worth(rule: ConversionRule, events: QuerySet[Event]) -> list[Candidate]:
    currency = Site.objects.values_list("currency", flat=True).get(pk=rule.site_id)
    found = []
    rows = events.order_by("time", "id").values_list(*_CANDIDATE, "properties")
    for event_id, time, visitor, visit, traffic_class, order, kind, reference, properties in rows:
        worth = value_of_event(properties or {}, rule.value_property, currency)
        shown = is_reported(traffic_class)
        subject = reference if kind == Kind.OUTCOME else None
        found.append(
            Candidate(event_id, time, visitor, visit, shown, order, worth.value, worth.currency, subject)
        )
    return found


def count_visits(site_id: int, visit_ids: Collection[int]) -> None:
    """Bring `Visit.conversions` and the bounces of the daily counts up to date for some visits."""
    ids = list(visit_ids)
    changes = Changes(site_id)
    for start in range(0, len(ids), 5000):
        some = ids[start : start + 5000]
        counts = Counter(
            Conversion.objects.filter(in_array("visit_id", some), site_id=site_id).values_list(
                "visit_id", flat=True
            )
        )
        by_count: defaultdict[int, list[int]] = defaultdict(list)
        for visit in Visit.objects.filter(in_array("id", some)):
            if visit.conversions != counts[visit.pk]:
                changes.visit(visit, -1)
                visit.conversions = counts[visit.pk]
                changes.visit(visit, +1)
                by_count[visit.conversions].append(visit.pk)
        for count, group in by_count.items():
            Visit.objects.filter(in_array("id", group)).update(conversions=count)
    changes.apply()
