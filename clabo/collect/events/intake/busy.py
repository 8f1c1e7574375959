"""How many events one browser may bring in a day: no person does so much, and whoever makes it up must not hold up others.

A late event has its visitor's visits of that day stitched anew, so that what a day can hold bounds what a hit can cost.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from hashlib import blake2b
from uuid import UUID

from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader
from clabo.collect.events.models import TrafficClass, Visitor
from clabo.collect.ingest import refusals
from clabo.platform.db.arrays import in_array

MOST_EVENTS = 2000
# In all, over the years.
MOST_EVER = 50_000
FOLDED = "folded_events"


@dataclass(frozen=True, slots=True)
class Came:
    """What came of each browser: its last day, how many events on it so far, and in all; and the rows of those looked up."""

    of_day: Mapping[UUID, tuple[date, int]]
    in_all: Mapping[UUID, int]
    asked: Collection[UUID]
    known: Mapping[UUID, Visitor]


def keep_apart(reading: SiteReader, parsed_events: Sequence[ParsedEvent]) -> Came:
    """Put down what a browser brings beyond MOST_EVENTS in a day of the site (MOST_EVER in all) to robots.

    Each robot has at most MOST_EVENTS events.

    The day is that of receipt, and the order that of arrival: what is beyond is known only once it comes. It is kept,
    shown where one checks the set-up, and in no report.
    """
    touching = [d for d in parsed_events if d.touches]
    counts: dict[tuple[UUID, date], int] = {}
    in_all: dict[UUID, int] = {}
    keys = {d.visitor_key for d in touching}
    stored = Visitor.objects.filter(in_array("key", keys, "uuid"), site_id=reading.site_id) if keys else ()
    known = {visitor.key: visitor for visitor in stored}
    for visitor in known.values():
        in_all[visitor.key] = visitor.events
        if visitor.busy_on is not None:
            counts[visitor.key, visitor.busy_on] = visitor.busy
    beyond = 0
    for parsed in touching:
        key, day = parsed.visitor_key, reading.day(parsed.received)
        counts[key, day] = counts.get((key, day), 0) + 1
        in_all[key] = in_all.get(key, 0) + 1
        if counts[key, day] > MOST_EVENTS or in_all[key] > MOST_EVER:
            beyond += 1
            _to_robot(parsed, day, (counts[key, day] - 1) // MOST_EVENTS)
    if beyond:
        refusals.note(reading.site_id, FOLDED, beyond)
    of_day: dict[UUID, tuple[date, int]] = {}
    for (key, day), n in counts.items():
        of_day[key] = max(of_day.get(key, (day, n)), (day, n))
    return Came(of_day, in_all, keys, known)


def _to_robot(parsed: ParsedEvent, day: date, number: int) -> None:
    told = f"{parsed.visitor_key.hex}|{day.isoformat()}|{number}".encode()
    parsed.visitor_key = UUID(bytes=blake2b(told, digest_size=16, person=b"busy").digest())
    parsed.traffic_class = TrafficClass.BOT.value
    parsed.person, parsed.variants, parsed.hindered, parsed.back = {}, {}, {}, ""
