"""Which conversion an outcome is of (definitions: "Outcome")."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from uuid import UUID

from django.db.models import Count

from clabo.collect.events.joining import COUNTED
from clabo.collect.events.models import Event, Identity, Kind, Statement
from clabo.core.trust.identities import MOST_BROWSERS
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.queries import rests_on_outcomes
from clabo.setup.sites.models import Site
from clabo.use.outcomes.models import Outcome

# Clocks differ, and so do their zones: where nothing was before, what came so soon after it is meant.
GRACE = timedelta(days=1)
# What an outcome is known by, for each kind of identity.
BY_IDENTITY = {"email": Outcome.By.EMAIL.value, "id": Outcome.By.CUSTOMER.value}
# What an event with an order number may be.
_ORDERS = (Kind.MARK, Kind.SALE)


@dataclass(frozen=True, slots=True)
class Subject:
    """The event that an outcome is of, and whose it is."""

    id: UUID
    time: datetime
    kind: int
    visitor: int
    via: int | None
    visit: int | None
    page: int
    device: int
    traffic_class: int
    currency: str


_COLUMNS = ("id", "time", "kind", "visitor_id", "via_id", "visit_id", "page_id", "device", "traffic_class")


def subjects(site: Site, ids: Collection[UUID]) -> dict[UUID, Subject]:
    """These events, as far as they are there."""
    rows = Event.objects.filter(in_array("id", ids, "uuid"), site=site).values_list(*_COLUMNS, "properties")
    return {row[0]: Subject(*row[:-1], _currency(row[-1], site)) for row in rows}  # type: ignore[call-arg]


def _currency(properties: dict[str, object] | None, site: Site) -> str:
    return str((properties or {}).get("currency") or "").strip().upper() or site.currency


def match(site: Site, outcomes: Sequence[Outcome]) -> dict[int, UUID | str]:
    """For each outcome, by its id: the event that it is of, or the code of why there is none."""
    by_order = [o for o in outcomes if o.by == Outcome.By.ORDER]
    found: dict[int, UUID | str] = {}
    orders = _by_order(site, {o.identity for o in by_order})
    for outcome in by_order:
        found[outcome.pk] = orders.get(outcome.identity, "outcome_no_order")
    return found | _by_person(site, [o for o in outcomes if o.by != Outcome.By.ORDER])


def _by_order(site: Site, orders: Collection[str]) -> dict[str, UUID]:
    """The event that each order number is of: one that enters reports before others, then the first received."""
    if not orders:
        return {}
    rows = Event.objects.filter(site=site, order__in=orders, kind__in=_ORDERS)
    shown = set(Event.objects.reported().filter(pk__in=rows.values("pk")).values_list("id", flat=True))
    found: dict[str, UUID] = {}
    in_turn = sorted(
        rows.values_list("order", "id", "proven", "received"),
        key=lambda r: (r[1] not in shown, not r[2], r[3]),
    )
    for order, event_id, *_ in in_turn:
        found.setdefault(order, event_id)
    return found


def _by_person(site: Site, outcomes: Sequence[Outcome]) -> dict[int, UUID | str]:
    people = _people(site, outcomes)
    whose = {visitor for several in people.values() if not isinstance(several, str) for visitor in several}
    done = _done(site, whose)
    found: dict[int, UUID | str] = {}
    for outcome in outcomes:
        several = people[outcome.by, outcome.identity]
        if isinstance(several, str):
            found[outcome.pk] = several
            continue
        own = [d for visitor in several for d in done[visitor]]
        found[outcome.pk] = _latest(own, outcome) or "outcome_nothing_before"
    return found


# What a visitor did that counts: when, the event, and the rules that it meets.
Done = tuple[datetime, UUID, int]


def _latest(done: Iterable[Done], outcome: Outcome) -> UUID | None:
    fitting = sorted(d for d in done if outcome.rule_id in (None, d[2]))
    if not fitting:
        return None
    until = outcome.at or outcome.received_at
    until += timedelta(hours=12) if outcome.whole_day else timedelta(0)
    before = [d for d in fitting if d[0] <= until]
    if before:
        return before[-1][1]
    return fitting[0][1] if fitting[0][0] <= until + GRACE else None


def _people(site: Site, outcomes: Sequence[Outcome]) -> dict[tuple[str, str], set[int] | str]:
    """By kind and hash: the visitors whose identity it is, or why that cannot be told."""
    wanted = {(o.by, o.identity) for o in outcomes}
    found: dict[tuple[str, str], set[int] | str] = dict.fromkeys(wanted, "outcome_unknown_person")
    for kind, by in BY_IDENTITY.items():
        hashes = [bytes.fromhex(identity) for of, identity in wanted if of == by]
        if not hashes:
            continue
        rows = Identity.objects.filter(site=site, kind=kind, hash__in=hashes)
        identities = {i.pk: i for i in rows.annotate(n=Count("statements", filter=COUNTED))}
        visitors: defaultdict[int, set[int]] = defaultdict(set)
        stated = Statement.objects.counted().filter(identity__in=identities)
        for identity, visitor, joined in stated.values_list(
            "identity_id", "visitor_id", "visitor__joined_to_id"
        ):
            visitors[identity].add(joined or visitor)
        for pk, known in identities.items():
            shared = known.off or known.n > MOST_BROWSERS
            if visitors[pk] or shared:
                key = by, bytes(known.hash).hex()
                found[key] = "outcome_shared_identity" if shared else visitors[pk]
    return found


def _done(site: Site, visitors: Collection[int]) -> defaultdict[int, list[Done]]:
    """What these visitors did that counts in reports, and what outcomes that are known are of."""
    found: defaultdict[int, list[Done]] = defaultdict(list)
    if not visitors:
        return found
    later = [r.pk for r in ConversionRule.objects.filter(site=site) if rests_on_outcomes(r.rule)]
    conversions = Conversion.objects.reported().filter(in_array("visitor_id", visitors), site=site)
    rows = conversions.exclude(rule__in=later).values_list("visitor_id", "time", "event_id", "rule_id")
    for visitor, time, event, rule in rows:
        found[visitor].append((time, event, rule))
    # A cancelled one is no conversion any more, and still what the next outcome is of.
    known = Outcome.objects.filter(in_array("visitor_id", visitors), site=site, subject__isnull=False)
    there = subjects(site, {subject for subject in known.values_list("subject", flat=True) if subject})
    for subject, rule_id in known.values_list("subject", "rule_id"):
        if subject in there and there[subject].visitor in visitors:
            found[there[subject].visitor].append((there[subject].time, subject, rule_id or 0))
    return found
