"""Reads of what was collected: the state of the tag, and the live list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from uuid import UUID

from django.conf import settings
from django.db.models import Max, Min, Sum

from clabo.collect import pipeline
from clabo.collect.models import Event, Page, Refusal
from clabo.sites.models import Site


@dataclass(frozen=True, slots=True)
class TagLines:
    """What to paste: into every head, into a split test's control page, where no script can run."""

    head: str
    render: str
    pixel: str


def tag_lines(site: Site) -> TagLines:
    """The lines of this site's tag."""
    base = settings.CLABO_COLLECT_URL or settings.PUBLIC_URL
    source = f"{base}/tag/{site.key}.js"
    early = "<script>window.clabo=window.clabo||{q:[],mark(...a){this.q.push(a)}}</script>"
    return TagLines(
        head=f'{early}<script async src="{source}"></script>',
        render=f'{early}<script async blocking="render" src="{source}"></script>',
        pixel=f'<noscript><img src="{base}/pixel/{site.key}.gif" alt="" width="1" height="1" referrerpolicy="no-referrer-when-downgrade"></noscript>',
    )


@dataclass(frozen=True, slots=True)
class TagState:
    """What is known of the tag on a site's pages."""

    lines: TagLines
    first_at: datetime | None
    last_at: datetime | None
    pages_total: int
    pages: Sequence[Page]
    refusals: Sequence[Refusal]


def tag_state(site: Site, search: str = "", most: int = 200) -> TagState:
    """The lines to paste, when hits came, the pages that sent them, and what was refused this week."""
    pages = Page.objects.filter(site=site)
    span = pages.aggregate(first=Min("first_at"), last=Max("last_at"))
    if search:
        pages = pages.filter(path__icontains=search)
    week_ago = datetime.now(UTC).date() - timedelta(days=7)
    return TagState(
        lines=tag_lines(site),
        first_at=span["first"],
        last_at=span["last"],
        pages_total=pages.count(),
        pages=list(pages.order_by("-last_at")[:most]),
        refusals=list(Refusal.objects.filter(site=site, day__gte=week_ago).order_by("-last_at")[:50]),
    )


@dataclass(frozen=True, slots=True)
class LiveHit:
    """One recorded event as the live list shows it."""

    id: UUID
    time: datetime
    kind: int
    page_id: int
    host: str
    path: str
    title: str
    name: str
    visitor: str
    visit_number: int
    channel: str
    source: str
    campaign: str
    device: int
    standing: int


def live_hits(site: Site, most: int = 60) -> list[LiveHit]:
    """The most recent events, newest first."""
    now = datetime.now(UTC)
    events: list[Event] = []
    # Partitions by time: look at the last hour first, and further back only when it was quiet.
    for back in (timedelta(hours=1), timedelta(days=1), timedelta(days=400)):
        events = list(
            Event.objects.filter(site=site, time__gt=now - back)
            .select_related("page", "visitor", "visit__origin")
            .order_by("-time", "-id")[:most]
        )
        if len(events) == most:
            break
    return [
        LiveHit(
            e.id,
            e.time,
            e.kind,
            e.page_id,
            e.page.host,
            e.page.path,
            e.page.title,
            e.name,
            e.visitor.key.hex[:6],
            e.visit.number,
            e.visit.channel,
            e.visit.origin.source,
            e.visit.origin.campaign,
            e.visit.device,
            e.visit.standing,
        )
        for e in events
    ]


@dataclass(frozen=True, slots=True)
class Arrivals:
    """How hits arrive now. `behind_seconds` is how long the oldest waiting one has waited."""

    last_minute: int
    behind_seconds: float
    set_aside: int
    refused_today: int


def arrivals(site: Site) -> Arrivals:
    """Counts for the head of the live list."""
    now = datetime.now(UTC)
    waiting = pipeline.backlog()
    refused = Refusal.objects.filter(site=site, day=now.date()).aggregate(n=Sum("count"))["n"]
    return Arrivals(
        Event.objects.filter(site=site, time__gt=now - timedelta(minutes=1)).count(),
        (now - waiting.oldest).total_seconds() if waiting.oldest else 0.0,
        waiting.set_aside,
        refused or 0,
    )
