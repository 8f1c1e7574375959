"""Reads of what was collected: the state of the tag, and the live list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from django.db.models import Count, Max, Min

from clabo.collect import pipeline
from clabo.collect.kit import TagLines, tag_lines
from clabo.collect.models import REPEATED, Event, Page, Refusal, RefusedHost, Standing, Visit
from clabo.collect.refusals import refused_hosts
from clabo.sites.models import Site


@dataclass(frozen=True, slots=True)
class TagState:
    """What is known of the tag on a site's pages."""

    lines: TagLines
    first_at: datetime | None
    last_at: datetime | None
    pages_total: int
    stopped: int
    # Since when every page has been silent, where that is more than quiet.
    silent_since: datetime | None
    # The last own visit of today or yesterday: shown in Live, counted nowhere.
    own_at: datetime | None
    pages: Sequence[Page]
    refusals: Sequence[Refusal]
    # Hosts that have the tag and are none of the site's.
    refused_hosts: Sequence[RefusedHost]


def tag_state(site: Site, search: str = "", most: int = 200) -> TagState:
    """The lines to paste, when hits came, the pages that sent them, and what was refused this week."""
    pages = Page.objects.filter(site=site)
    span = pages.aggregate(
        first=Min("first_at"),
        last=Max("last_at"),
        stopped=Count("stopped_at"),
        stopped_last=Max("stopped_at"),
    )
    silent = span["stopped"] and span["last"] <= span["stopped_last"]
    if search:
        pages = pages.filter(path__icontains=search)
    week_ago = datetime.now(UTC).date() - timedelta(days=7)
    return TagState(
        lines=tag_lines(site),
        first_at=span["first"],
        last_at=span["last"],
        pages_total=pages.count(),
        own_at=Visit.objects.filter(
            site=site,
            day__gte=datetime.now(UTC).astimezone(site.zone).date() - timedelta(days=1),
            standing=Standing.OWN,
        ).aggregate(at=Max("ended_at"))["at"],
        stopped=span["stopped"],
        silent_since=span["last"] if silent else None,
        pages=list(pages.order_by("-last_at")[:most]),
        refusals=list(
            Refusal.objects.filter(site=site, day__gte=week_ago)
            .exclude(reason=REPEATED)
            .order_by("-last_at")[:50]
        ),
        refused_hosts=refused_hosts(site),
    )


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
    waiting = pipeline.backlog(site)
    refused = dict(Refusal.objects.filter(site=site, day=now.date()).values_list("reason", "count"))
    midnight = site.midnight(now.astimezone(site.zone).date())
    today = dict(
        Event.objects.filter(site=site, time__gte=midnight)
        .values_list("visit__standing")
        .annotate(n=Count("id"))
    )
    return Arrivals(
        Event.objects.filter(site=site, time__gt=now - timedelta(minutes=1)).count(),
        (now - waiting.oldest).total_seconds() if waiting.oldest else 0.0,
        waiting.set_aside,
        sum(today.values()),
        today.get(Standing.BOT, 0),
        today.get(Standing.OWN, 0),
        today.get(Standing.REHEARSAL, 0),
        refused.pop(REPEATED, 0),
        sorted(refused.items(), key=lambda r: -r[1]),
    )
