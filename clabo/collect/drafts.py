"""From an accepted request to events that are ready to be stored."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from uuid import UUID
from zoneinfo import ZoneInfo

import crawleruseragents

from clabo.collect.intake import Envelope, decode_accepted
from clabo.collect.models import Device, Kind, Standing
from clabo.core.addresses import (
    NO_CAMPAIGN,
    Address,
    AddressError,
    Campaign,
    campaign_of,
    host_of,
    normalise,
)
from clabo.sites.models import Site

_KINDS = {k.name.lower(): k.value for k in Kind}
_DEVICES = {d.label: d.value for d in Device}
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


@dataclass(frozen=True, slots=True)
class Reading:
    """How one site's addresses and days are read."""

    site_id: int
    stands_for: Mapping[str, str]
    hosts: frozenset[str]
    meaningful: frozenset[str]
    keep_fragment: bool
    gap: timedelta
    zone: ZoneInfo

    @classmethod
    def of(cls, site: Site) -> Reading:
        """The reading of `site`, with its hosts."""
        hosts = list(site.hosts.all())
        return cls(
            site.pk,
            {h.host: h.stands_for for h in hosts if h.stands_for},
            frozenset(h.host for h in hosts) | frozenset(h.stands_for for h in hosts if h.stands_for),
            frozenset(site.meaningful_parameters),
            site.keep_fragment,
            timedelta(minutes=site.visit_gap_minutes),
            site.zone,
        )

    def page(self, url: str) -> Address:
        """The page that `url` is reported under."""
        address = normalise(url, self.meaningful, self.keep_fragment)
        other = self.stands_for.get(address.host)
        return Address(other, address.path) if other else address

    def day(self, time: datetime) -> date:
        """The site's own day."""
        return time.astimezone(self.zone).date()


@dataclass(slots=True)
class Draft:
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
    campaign: Campaign
    device: int
    standing: int
    twice: bool
    variants: Mapping[str, str] = field(default_factory=dict)


# What the list of known crawlers misses: the unknown ones with a usual name.
_SAYS_SO = re.compile(r"bot\b|crawler|spider|headless", re.IGNORECASE)


@lru_cache(maxsize=8192)
def standing_of(user_agent: str) -> int:
    """BOT for a crawler that says so, else COUNTED. No user agent at all is no browser."""
    if not user_agent or _SAYS_SO.search(user_agent) or crawleruseragents.is_crawler(user_agent):
        return Standing.BOT.value
    return Standing.COUNTED.value


def event_time(received_ms: int, age_ms: int) -> datetime:
    """Server receipt minus the stated age (definitions: "Event time")."""
    return _EPOCH + timedelta(milliseconds=received_ms - age_ms)


def drafts(envelope: Envelope, reading: Reading) -> list[Draft]:
    """The events of one request, oldest first as sent. Unreadable addresses leave nothing."""
    beacon = decode_accepted(envelope.body)
    standing = standing_of(envelope.user_agent)
    visitor = UUID(hex=beacon.visitor)
    device = _DEVICES[beacon.device]
    made: list[Draft] = []
    for event in beacon.events:
        try:
            page = reading.page(event.url)
        except AddressError:
            continue
        campaign = campaign_of(event.url) if event.kind == "view" else NO_CAMPAIGN
        query = event.url.partition("#")[0].partition("?")[2]
        made.append(
            Draft(
                UUID(hex=event.id),
                event_time(envelope.received_ms, event.age),
                _KINDS[event.kind],
                visitor,
                page,
                query,
                _outside(event.referrer, reading),
                event.title,
                event.name,
                dict(event.properties) or None,
                campaign,
                device,
                standing,
                event.twice,
                event.variants,
            )
        )
    return made


def _outside(referrer: str, reading: Reading) -> str:
    if not referrer:
        return ""
    try:
        return "" if host_of(referrer) in reading.hosts else referrer[:500]
    except AddressError:
        return ""
