"""What has come in lately."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from django.db.models import Count

from clabo.collect.events.models import Event, TrafficClass
from clabo.collect.ingest.models import REPEATED, Refusal
from clabo.collect.pipeline.queries import backlog
from clabo.setup.sites.models import Site

_SHOWN = ("page", "element", "visitor", "visit__origin")


def live_hits(site: Site, most: int = 60, visitor: int | None = None) -> list[Event]:
    """The most recent events, of one visitor or of all, newest first; page, element, visitor and visit loaded."""
    wanted = Event.objects.filter(site=site)
    if visitor is not None:
        return list(
            wanted.filter(visitor_id=visitor).select_related(*_SHOWN).order_by("-time", "-id")[: most * 3]
        )
    now = datetime.now(UTC)
    events: list[Event] = []
    # Partitions by time: look at the last hour first, and further back only when it was quiet.
    for back in (timedelta(hours=1), timedelta(days=1), timedelta(days=400)):
        events = list(
            wanted.filter(time__gt=now - back).select_related(*_SHOWN).order_by("-time", "-id")[:most]
        )
        if len(events) == most:
            break
    return events


def hit(site: Site, hit_id: UUID) -> Event | None:
    """One event, with the same loaded."""
    return Event.objects.filter(site=site, id=hit_id).select_related(*_SHOWN).first()


@dataclass(frozen=True, slots=True)
class Arrivals:
    """How hits arrive now. `behind_seconds` is how long the oldest waiting one has waited."""

    last_minute: int
    behind_seconds: float
    set_aside: int
    # By the site's own day: events stored, and how many of them came from bots, own visits and rehearsals.
    accepted_today: int
    bots_today: int
    own_today: int
    rehearsed_today: int
    # Events that had been stored before, and were dropped.
    repeats_today: int
    refused_today: list[tuple[str, int]]


def arrivals(site: Site) -> Arrivals:
    """Counts for the head of the live list."""
    now = datetime.now(UTC)
    waiting = backlog(site)
    refused = dict(Refusal.objects.filter(site=site, day=now.date()).values_list("reason", "count"))
    midnight = site.midnight(now.astimezone(site.zone).date())
    today = dict(
        Event.objects.filter(site=site, time__gte=midnight)
        .values_list("visit__traffic_class")
        .annotate(n=Count("id"))
    )
    return Arrivals(
        Event.objects.filter(site=site, time__gt=now - timedelta(minutes=1)).count(),
        (now - waiting.oldest).total_seconds() if waiting.oldest else 0.0,
        waiting.set_aside,
        sum(today.values()),
        today.get(TrafficClass.BOT, 0),
        today.get(TrafficClass.OWN, 0),
        today.get(TrafficClass.REHEARSAL, 0),
        refused.pop(REPEATED, 0),
        sorted(refused.items(), key=lambda r: -r[1]),
    )
