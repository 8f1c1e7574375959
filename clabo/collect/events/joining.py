"""Browsers that are one person's: what pages have stated, and whose events those of a browser are put down to.

Which browsers belong together is the core's to say (core/trust/identities.py). Here the people whom new statements concern are
looked up, and what happened in a browser changes hands where the browser does; stitching and all that rests on it
follows (storing.py). An un-join is the same the other way round, for an event remembers the browser that it happened in.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from django.db import connection
from django.db.models import Count, Q

from clabo.collect.events.intake.parsing import ParsedEvent
from clabo.collect.events.models import Identity, Statement, Visitor
from clabo.core.trust.identities import MOST_BROWSERS, MOST_STATED, MOST_TOGETHER, connected, joined
from clabo.platform.db.arrays import in_array

# Which statements of an identity count (Statements.counted).
COUNTED = Q(proven=False) | Q(statements__proven=True)
# Of one browser; it has long ceased to belong to anybody.
MOST_KEPT = 50


@dataclass(frozen=True, slots=True)
class Rejoined:
    """Visitors whose events are no longer the same, and when those happened that changed hands."""

    visitors: set[int] = field(default_factory=set)
    times: list[datetime] = field(default_factory=list)


def state(
    site_id: int, parsed_events: Iterable[ParsedEvent], visitors: Mapping[UUID, Visitor]
) -> list[tuple[int, int]]:
    """Keep what these events state of their browsers; the new statements, as visitor and identity."""
    said: dict[tuple[str, bytes, int], datetime] = {}
    signed: set[tuple[str, bytes, int]] = set()
    for parsed in parsed_events:
        if not parsed.touches:
            continue
        for kind, hash_ in parsed.person.items():
            key = (kind, bytes.fromhex(hash_), visitors[parsed.visitor_key].pk)
            said[key] = min(parsed.time, said.get(key, parsed.time))
            if parsed.person_proven:
                signed.add(key)
    if not said:
        return []
    identities = _identities(site_id, {(kind, hash_) for kind, hash_, _ in said})
    times = {(visitor, identities[kind, hash_]): at for (kind, hash_, visitor), at in said.items()}
    proven = {(visitor, identities[kind, hash_]) for kind, hash_, visitor in signed}
    known = Statement.objects.filter(in_array("visitor_id", {v for v, _ in times}))
    stored = {(s.visitor_id, s.identity_id): s for s in known}
    room = Counter(visitor for visitor, _ in stored)
    new = []
    for pair in sorted(set(times) - set(stored)):
        if room[pair[0]] < MOST_KEPT or pair in proven:
            room[pair[0]] += 1
            new.append(pair)
    Statement.objects.bulk_create(
        [
            Statement(visitor_id=v, identity_id=i, first_at=times[v, i], proven=(v, i) in proven)
            for v, i in new
        ]
    )
    now_proven = [pair for pair in proven if pair in stored and not stored[pair].proven]
    Statement.objects.filter(pk__in=[stored[pair].pk for pair in now_proven]).update(proven=True)
    return [*new, *now_proven, *_contradicted({i for _, i in proven})]


def _contradicted(proven: Collection[int]) -> list[tuple[int, int]]:
    """Statements of these identities that counted until now, the first time that one of them is proven."""
    first = list(Identity.objects.filter(pk__in=proven, proven=False).values_list("pk", flat=True))
    if not first:
        return []
    others = Statement.objects.filter(identity__in=first, proven=False)
    crowds = others.values("identity").annotate(n=Count("pk")).filter(n__gt=MOST_BROWSERS)
    # Of what too many state nobody was joined.
    joining = others.exclude(identity__in=[c["identity"] for c in crowds])
    found = list(joining.values_list("visitor_id", "identity_id"))
    Identity.objects.filter(pk__in=first).update(proven=True)
    return found


def _identities(site_id: int, said: set[tuple[str, bytes]]) -> dict[tuple[str, bytes], int]:
    rows = [Identity(site_id=site_id, kind=kind, hash=hash_) for kind, hash_ in sorted(said)]
    Identity.objects.bulk_create(rows, ignore_conflicts=True)
    found = Identity.objects.filter(site_id=site_id, hash__in=[hash_ for _, hash_ in said])
    return {(i.kind, bytes(i.hash)): i.pk for i in found}


def settle(site_id: int, changed: Collection[tuple[int, int]]) -> Rejoined:
    """Make whose events are whose what the statements say, where those `changed` (visitor, identity) came or ceased to count.

    The caller holds the site's lock, and stitches anew.
    """
    if not changed:
        return Rejoined()
    statements, crowded = _reached(changed)
    reached = {v for v, _ in statements} | {v for v, _ in changed}
    rows = {v.pk: v for v in Visitor.objects.filter(in_array("id", reached), site_id=site_id)}
    # Whoever was with them until now may be left alone.
    persons = {v.joined_to_id or v.pk for v in rows.values()}
    with_them = Visitor.objects.filter(in_array("joined_to_id", persons), site_id=site_id)
    rows |= {v.pk: v for v in with_them} | {v.pk: v for v in Visitor.objects.filter(in_array("id", persons))}
    keys = {v.key: v.pk for v in rows.values()}
    owners = joined(((rows[v].key, i) for v, i in statements), crowded)
    moved: dict[int, int | None] = {}
    for visitor in rows.values():
        owner = keys[owners.get(visitor.key, visitor.key)]
        joined_to = None if owner == visitor.pk else owner
        if joined_to != visitor.joined_to_id:
            moved[visitor.pk] = joined_to
    if not moved:
        return Rejoined()
    concerned = {*moved} | {o for o in moved.values() if o} | {rows[v].joined_to_id or v for v in moved}
    for pk, joined_to in moved.items():
        rows[pk].joined_to_id = joined_to
    Visitor.objects.bulk_update([rows[pk] for pk in moved], ["joined_to"])
    return Rejoined(concerned, _hand_over(site_id, moved))


def _reached(changed: Collection[tuple[int, int]]) -> tuple[set[tuple[int, int]], set[int]]:
    """All statements of everybody who is connected with these, as far as it takes to know who belongs together.

    An identity or a browser that connected nobody before, and does so no more now, is not followed; nor is anybody of
    whom it is known already that too many are connected. Beside them the identities of too many browsers.
    """
    new_of_identity = Counter(i for _, i in changed)
    new_of_visitor = Counter(v for v, _ in changed)
    found: set[tuple[int, int]] = set()
    carriers: dict[int, int] = {}
    followed: set[int] = set()
    seen: set[int] = set()
    visitors, identities = set(new_of_visitor), set(new_of_identity)
    while visitors or identities:
        seen |= visitors
        own = _statements("visitor_id", visitors)
        told = Counter(v for v, _ in own)
        found |= set(own)
        carriers |= _carriers(({i for _, i in own} | identities) - set(carriers))
        identities |= {i for v, i in own if told[v] - new_of_visitor[v] <= MOST_STATED}
        some = {i for i in identities if carriers[i] - new_of_identity[i] <= MOST_BROWSERS} - followed
        followed |= some
        others = _statements("identity_id", some)
        found |= set(others)
        crowded = {i for i, n in carriers.items() if n > MOST_BROWSERS}
        enough = {v for group in connected(found, crowded) if len(group) > MOST_TOGETHER for v in group}
        visitors = {v for v, _ in others} - seen - enough
        identities = set()
    return found, crowded


def _statements(by: str, ids: Collection[int]) -> list[tuple[int, int]]:
    rows = Statement.objects.counted().filter(in_array(by, ids), identity__off=False)
    return list(rows.values_list("visitor_id", "identity_id")) if ids else []


def _carriers(identities: Collection[int]) -> dict[int, int]:
    rows = Identity.objects.filter(in_array("id", identities)).annotate(n=Count("statements", filter=COUNTED))
    return dict(rows.values_list("id", "n")) if identities else {}


def _hand_over(site_id: int, moved: Mapping[int, int | None]) -> list[datetime]:
    """Put down what happened in these browsers to whom they belong now; when that was."""
    times: list[datetime] = []
    with connection.cursor() as cursor:
        for visitor, owner in moved.items():
            cursor.execute(
                "UPDATE events_event SET visitor_id = %s, via_id = %s "
                "WHERE site_id = %s AND (via_id = %s OR (visitor_id = %s AND via_id IS NULL)) RETURNING time",
                [owner or visitor, visitor if owner else None, site_id, visitor, visitor],
            )
            times += [time for (time,) in cursor.fetchall()]
    return times
