"""From an accepted request to events that are ready to be stored."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from hashlib import blake2b
from uuid import UUID
from zoneinfo import ZoneInfo

import msgspec

from clabo.collect.events.models import SERVER_KINDS, Device, Kind, TrafficClass
from clabo.collect.ingest.beacon import BeaconEvent, Envelope, decode_accepted
from clabo.core.pages.addresses import (
    NO_CAMPAIGN,
    Address,
    AddressError,
    Campaign,
    PageReading,
    campaign_of,
    canonical_query,
    host_of,
)
from clabo.core.trust.proof import PROPERTY, is_person_proven, is_proven
from clabo.core.trust.robots import is_robot
from clabo.setup.sites.models import Site

_KINDS = {k.name.lower(): k.value for k in Kind}
_DEVICES = {d.label: d.value for d in Device}
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class SiteReader:
    """How one site's addresses and days are read."""

    site_id: int
    pages: PageReading
    hosts: frozenset[str]
    gap: timedelta
    zone: ZoneInfo
    # What the site's own server signs orders with; those in force.
    proof_keys: tuple[str, ...] = ()

    @classmethod
    def of(cls, site: Site) -> SiteReader:
        """The reading of `site`, with its hosts."""
        hosts = list(site.hosts.all())
        return cls(
            site.pk,
            site.page_reading,
            frozenset(h.host for h in hosts) | frozenset(h.stands_for for h in hosts if h.stands_for),
            timedelta(minutes=site.visit_gap_minutes),
            site.zone,
            tuple(k.secret for k in site.proof_keys.all() if k.ended_at is None),
        )

    def page(self, url: str) -> Address:
        """The page that `url` is reported under."""
        return self.pages.page(url)

    def day(self, time: datetime) -> date:
        """The site's own day."""
        return time.astimezone(self.zone).date()


@dataclass(slots=True)
class ParsedEvent:
    """One event before it has ids of its own visitor, visit and page."""

    id: UUID
    time: datetime
    kind: int
    visitor_key: UUID
    page: Address
    query: str
    referrer: str
    title: str
    name: str
    properties: dict[str, object] | None
    element: dict[str, object] | None
    order: str
    campaign: Campaign
    device: int
    traffic_class: int
    twice: bool
    received: datetime
    variants: Mapping[str, str] = field(default_factory=dict)
    proven: bool = False
    # The step over a bridge link that a reported sale names.
    reference: UUID | None = None
    network: str = ""
    # A step whose address says where its visit came from.
    says_campaign: bool = False
    # A split test whose variant led back to its control.
    back: str = ""
    # Who the page says it is: hashes by kind.
    person: Mapping[str, str] = field(default_factory=dict)
    # And the site's server has signed it, for this browser.
    person_proven: bool = False
    # Split tests whose page had no element for a selector, and the selector's place.
    hindered: Mapping[str, tuple[str, int]] = field(default_factory=dict)
    # The visitor took back the consent that they had given.
    refused: bool = False

    @property
    def touches(self) -> bool:
        """Whether it makes and extends visits (definitions: "Touching events")."""
        return self.kind not in SERVER_KINDS

    @property
    def place(self) -> tuple[datetime, bool, UUID]:
        """What events of a visitor are put in order by, the same for stored ones (storing.StoredEvent.place).

        A page is seen before anything is done on it, even within the same millisecond.
        """
        return self.time, self.kind != Kind.VIEW, self.id


# Once: an enum's value is asked for by a call.
_BOT, _COUNTED = TrafficClass.BOT.value, TrafficClass.COUNTED.value


def traffic_class_of(user_agent: str) -> int:
    """BOT for a crawler that says so, else COUNTED."""
    return _BOT if is_robot(user_agent) else _COUNTED


def event_time(received_ms: int, age_ms: int) -> datetime:
    """Server receipt minus the stated age (definitions: "Event time")."""
    return _EPOCH + timedelta(milliseconds=received_ms - age_ms)


def _another(told: bytes, person: bytes) -> UUID:
    return UUID(bytes=blake2b(told, digest_size=16, person=person).digest())


def rehearsal_visitor(site_id: int, token: str) -> UUID:
    """Who all hits of one rehearsal are put down to, whatever browser they come from."""
    return _another(f"{site_id}|{token}".encode(), b"rehearsal")


def parse(envelope: Envelope, reading: SiteReader) -> list[ParsedEvent]:
    """The events of one request, oldest first as sent. Unreadable addresses leave nothing."""
    beacon = decode_accepted(envelope.body)
    traffic_class = traffic_class_of(envelope.user_agent)
    visitor = UUID(hex=envelope.visitor or beacon.visitor)
    if beacon.rehearsal:
        traffic_class, visitor = (
            TrafficClass.REHEARSAL.value,
            rehearsal_visitor(reading.site_id, beacon.rehearsal),
        )
    elif beacon.own or envelope.own:
        # Another visitor, so that no visit is counted in part.
        traffic_class, visitor = TrafficClass.OWN.value, _another(visitor.bytes, b"own")
    device = _DEVICES[beacon.device]
    received = event_time(envelope.received_ms, 0)
    made: list[ParsedEvent] = []
    # Own visits and rehearsals are nobody, and without a stored id there is nothing to join.
    is_somebody = traffic_class == TrafficClass.COUNTED and not envelope.visitor
    for event in beacon.events:
        try:
            page = reading.page(event.url)
        except AddressError:
            continue
        campaign = campaign_of(event.url) if event.kind == "view" or event.campaign else NO_CAMPAIGN
        properties = _properties(event)
        order = order_number(properties) if event.kind in ("mark", "sale") else ""
        proven = event.proven or is_proven(properties, order, reading.proof_keys)
        properties.pop(PROPERTY, None)
        said_of = {str(kind): hash_ for kind, hash_ in event.person.items()}
        stated = {kind: hash_ for kind, hash_ in said_of.items() if kind != PROPERTY}
        made.append(
            ParsedEvent(
                UUID(hex=event.id),
                event_time(envelope.received_ms, event.age),
                _KINDS[event.kind],
                visitor,
                page,
                canonical_query(event.url),
                outside(event.referrer, reading),
                event.title,
                event.name,
                properties or None,
                _element(event),
                order,
                campaign,
                device,
                traffic_class,
                event.twice,
                received,
                event.variants,
                proven,
                _reference(properties) if event.kind == "sale" else None,
                envelope.network,
                event.campaign,
                event.back,
                stated if is_somebody else {},
                bool(stated) and is_somebody and is_person_proven(said_of, visitor.hex, reading.proof_keys),
                event.hindered if is_somebody else {},
                event.refused and is_somebody,
            )
        )
    return made


# Longer than this nobody waited: ten minutes.
_LONGEST_WAIT = 600_000


def _properties(event: BeaconEvent) -> dict[str, object]:
    """What the event says, as far as its kind says such things: of a form that was left the field, of a page the waits."""
    said = event.properties
    if event.kind == "left":
        at = said.get("field")
        return {"field": at[:100]} if isinstance(at, str) and at else {}
    if event.kind == "loaded":
        return {
            name: round(took)
            for name in ("load", "largest")
            if isinstance(took := said.get(name), float | int)
            and not isinstance(took, bool)
            and 0 <= took <= _LONGEST_WAIT
        }
    return {**said, "reached": event.reached} if event.reached else dict(said)


def _element(event: BeaconEvent) -> dict[str, object] | None:
    if event.element is None:
        return None
    traits: dict[str, object] = msgspec.to_builtins(event.element)
    # Two orders of the same fields are one form.
    for listed in ("fields", "fits"):
        if listed in traits:
            traits[listed] = sorted({*getattr(event.element, listed)} - {""})
    return traits


def order_number(properties: Mapping[str, object]) -> str:
    """The order number among an event's properties, as text; empty where there is none."""
    order = properties.get("order")
    if isinstance(order, bool) or order is None:
        return ""
    # A number arrives as a float, whatever the page wrote.
    return (f"{order:.15g}" if isinstance(order, float) else str(order)).strip()[:100]


def _reference(properties: Mapping[str, object]) -> UUID | None:
    try:
        return UUID(hex=str(properties.get("step")))
    except ValueError:
        return None


def outside(referrer: str, reading: SiteReader) -> str:
    """The referrer, or nothing where it is one of the site's own pages, or none."""
    if not referrer:
        return ""
    try:
        return "" if host_of(referrer) in reading.hosts else referrer[:500]
    except AddressError:
        return ""
