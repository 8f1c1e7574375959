"""Reads of what was collected: the state of the tag, and the live list."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from django.db.models import Count, Max, Min

from clabo.collect.events.models import Page, TrafficClass, Visit
from clabo.collect.ingest.models import REPEATED, Refusal, RefusedHost
from clabo.collect.ingest.refusals import refused_hosts
from clabo.collect.install.kit import TagLines, tag_lines
from clabo.setup.sites.models import Site


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
            traffic_class=TrafficClass.OWN,
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
