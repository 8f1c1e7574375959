"""Taking in what became of leads and orders, and making events of it (definitions: "Outcome")."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from hashlib import blake2b
from itertools import islice
from typing import TypeVar
from uuid import UUID

from django.db import transaction
from django.db.models import Q

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Event, Kind, TrafficClass, fingerprint
from clabo.collect.events.storage.stitching import NewEvent
from clabo.collect.events.storage.storing import StoredBatch
from clabo.collect.pipeline import hooks
from clabo.core.outcomes.outcome_file import NOON, OutcomeLine
from clabo.core.outcomes.stages import Stage
from clabo.platform.db import partitions
from clabo.platform.db.arrays import in_array
from clabo.platform.db.copying import copy_in
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site
from clabo.use.outcomes.matching import Subject, match, subjects
from clabo.use.outcomes.models import Outcome, OutcomeImport
from clabo.use.outcomes.stages import stages_of

# So many at a time hold the site's lock.
CHUNK = 500
_STANDS = Q(batch=None) | Q(batch__state=OutcomeImport.State.DONE)

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class Taken:
    """What came of some lines: said something new, were known, and the keys of the new ones."""

    new: int
    known: int
    keys: list[str]


def key_of(line: OutcomeLine, effect: str) -> str:
    """What two reports of the same thing have in common: the later of them corrects the earlier.

    An order or lead reaches a stage once. Somebody who is known by an address or id only may do so again on another day,
    and money may be given back several times; a name of the row's own tells them apart where there is one.
    """
    if line.row:
        return fingerprint("row", line.by, line.identity, line.stage, line.row)
    parts = [line.by, line.identity, line.stage]
    if line.by != "order" or effect == "refund":
        parts.append(line.at.date().isoformat() if line.at else "")
    if effect == "refund":
        parts.append(str(line.value))
    return fingerprint(*parts)


def take(
    site: Site,
    lines: Sequence[OutcomeLine],
    batch: OutcomeImport | None = None,
    rule: ConversionRule | None = None,
    now: datetime | None = None,
) -> Taken:
    """Store what is new among `lines`; `settle` makes events of it. Call in a transaction with the site's lock held."""
    now = now or datetime.now(UTC)
    effects = {s.key: s.effect for s in stages_of(site)}
    made: dict[str, Outcome] = {}
    for line in lines:
        outcome = outcome_of(site, line, key_of(line, effects[line.stage]), batch, rule, now)
        made[outcome.key] = outcome
    standing = {o.key: o for o in _current(site, made)}
    new = [o for key, o in made.items() if key not in standing or _says(o) != _says(standing[key])]
    Outcome.objects.filter(pk__in=[standing[o.key].pk for o in new if o.key in standing]).update(
        current=False
    )
    Outcome.objects.bulk_create(new, batch_size=2000)
    return Taken(len(new), len(lines) - len(new), [o.key for o in new])


def outcome_of(
    site: Site,
    line: OutcomeLine,
    key: str,
    batch: OutcomeImport | None,
    rule: ConversionRule | None,
    now: datetime,
) -> Outcome:
    """A row for a line, with its time by the site's clock; not saved."""
    at = line.at
    whole_day = at is not None and at.tzinfo is None and at.time() == NOON
    if at is not None and at.tzinfo is None:
        at = at.replace(tzinfo=site.zone)
    return Outcome(
        site=site,
        batch=batch,
        key=key,
        by=line.by,
        identity=line.identity,
        stage=line.stage,
        at=at,
        whole_day=whole_day,
        value=line.value,
        currency="" if line.currency == site.currency else line.currency,
        row=line.row,
        withdrawn=line.withdrawn,
        rule=rule,
        received_at=now,
    )


def _says(outcome: Outcome) -> tuple[object, ...]:
    return outcome.at, outcome.value, outcome.currency, outcome.withdrawn, outcome.rule_id


def _current(site: Site, keys: Collection[str]) -> list[Outcome]:
    return list(Outcome.objects.filter(in_array("key", keys, "text"), site=site, current=True))


def settle(site: Site, keys: Sequence[str], now: datetime | None = None) -> None:
    """Make the stored events what the outcomes with these keys say, some at a time, and all that rests on them."""
    for some in pieces(keys, CHUNK):
        with transaction.atomic():
            lock_site(site.pk)
            _settle(site, some, now or datetime.now(UTC))


def pieces(things: Sequence[T], size: int) -> Iterator[list[T]]:
    """`things` in lists of `size`, the last one shorter."""
    left = iter(things)
    while some := list(islice(left, size)):
        yield some


def _settle(site: Site, keys: Sequence[str], now: datetime) -> None:
    reading = SiteReader.of(Site.objects.prefetch_related("hosts", "proof_keys").get(pk=site.pk))
    outcomes = _choose_current(site, keys)
    there = _find_subjects(site, outcomes)
    effects = {s.key: s for s in stages_of(site)}
    wanted = {
        event.id: event
        for outcome in outcomes
        if not outcome.withdrawn and (subject := there.get(outcome.subject or UUID(int=0)))
        for event in [_event(site, outcome, effects[outcome.stage], subject, now)]
    }
    ids = {event_id(site.pk, key) for key in keys}
    stored = list(Event.objects.filter(in_array("id", ids, "uuid"), site=site))
    gone = [e for e in stored if e.id not in wanted or _differs(e, wanted[e.id])]
    stale = {e.id for e in gone}
    made = [e for e in wanted.values() if e.id in stale or e.id not in {s.id for s in stored}]
    if not gone and not made:
        return
    # One by one: the key of a partitioned table begins with site and time.
    for event in gone:
        Event.objects.filter(site=site, time=event.time, id=event.id).delete()
    partitions.ensure(Event._meta.db_table, {e.time for e in made})
    copy_in(Event, made)
    _follow(reading, [(e.visitor_id, e.time) for e in gone] + [(e.visitor_id, e.time) for e in made])


def _choose_current(site: Site, keys: Sequence[str]) -> list[Outcome]:
    """Of each key the last one that stands, which is marked so."""
    rows = Outcome.objects.filter(in_array("key", keys, "text"), site=site)
    chosen = list(rows.filter(_STANDS).order_by("key", "-id").distinct("key"))
    ids = {o.pk for o in chosen}
    rows.filter(current=True).exclude(pk__in=ids).update(current=False)
    Outcome.objects.filter(pk__in=ids, current=False).update(current=True)
    return chosen


def _find_subjects(site: Site, outcomes: Sequence[Outcome]) -> dict[UUID, Subject]:
    """Find what those are of that are of nothing yet, or whose event has gone; the events by id."""
    there = subjects(site, {o.subject for o in outcomes if o.subject})
    lone = [o for o in outcomes if not o.withdrawn and o.subject not in there]
    found = match(site, lone)
    there |= subjects(site, {f for f in found.values() if isinstance(f, UUID)})
    currency = {o.pk: o.currency or site.currency for o in outcomes}
    refunds = {s.key for s in stages_of(site) if s.effect == "refund"}
    for outcome in lone:
        which = found[outcome.pk]
        takes = outcome.stage in refunds and outcome.value is not None
        # An amount can be taken from one in the same currency only.
        if isinstance(which, UUID) and takes and there[which].currency != currency[outcome.pk]:
            which = "outcome_other_currency"
        outcome.subject = which if isinstance(which, UUID) else None
        outcome.visitor_id = there[which].visitor if isinstance(which, UUID) else None
        outcome.why = "" if isinstance(which, UUID) else which
    Outcome.objects.bulk_update(lone, ["subject", "visitor", "why"], batch_size=500)
    return there


def event_id(site_id: int, key: str) -> UUID:
    """The id of the event that stands for the outcomes of one key: told twice, it is one."""
    return UUID(bytes=blake2b(f"{site_id} {key}".encode(), digest_size=16, person=b"clabo outcome").digest())


def _event(site: Site, outcome: Outcome, stage: Stage, subject: Subject, now: datetime) -> NewEvent:
    properties: dict[str, object] = {"stage": stage.key, "effect": stage.effect}
    if outcome.value is not None:
        properties["value"] = float(outcome.value)
        if outcome.currency:
            properties["currency"] = outcome.currency
    # Neither before what it is of, nor in the future.
    at = max(subject.time, min(outcome.at or outcome.received_at, now))
    return NewEvent(
        site.pk,
        at,
        event_id(site.pk, outcome.key),
        Kind.OUTCOME.value,
        subject.visitor,
        subject.page,
        "",
        "",
        stage.key,
        properties,
        None,
        "",
        outcome.received_at,
        subject.device,
        TrafficClass.COUNTED.value,
        proven=True,
        reference=subject.id,
        via_id=subject.via,
        visit_id=subject.visit,
    )


def _differs(stored: Event, wanted: NewEvent) -> bool:
    """Whether it says something else; where it hangs is followed by whoever moves its visit."""
    return (stored.time, stored.name, stored.properties, stored.reference) != (
        wanted.time,
        wanted.name,
        wanted.properties,
        wanted.reference,
    )


def _follow(reading: SiteReader, happened: Sequence[tuple[int, datetime]]) -> None:
    """Have everything follow that rests on these visitors' events."""
    batch = StoredBatch(reading)
    days: set[date] = set()
    for visitor, time in happened:
        batch.changed([visitor], time)
        days.add(reading.day(time))
    batch.days = days
    for hook in hooks.after_batch.all().values():
        hook(batch)


def report(
    site: Site,
    lines: Sequence[OutcomeLine],
    batch: OutcomeImport | None = None,
    rule: ConversionRule | None = None,
) -> Taken:
    """Take lines in and settle them. All are stored or none; told again, they change nothing."""
    with transaction.atomic():
        lock_site(site.pk)
        taken = take(site, lines, batch, rule)
    settle(site, taken.keys)
    return taken


def settle_waiting(site: Site, now: datetime | None = None, most: int = 20_000) -> None:
    """Try again what is of nothing yet: what it is of may have come since."""
    waiting = Outcome.objects.filter(site=site, current=True, withdrawn=False, subject=None)
    settle(site, list(waiting.order_by("-id").values_list("key", flat=True)[:most]), now)


def unmatched(site: Site, keys: Collection[str]) -> Mapping[str, str]:
    """Those of these keys whose outcome is of nothing yet, with the code of why."""
    return {o.key: o.why for o in _current(site, keys) if o.why and not o.withdrawn}
