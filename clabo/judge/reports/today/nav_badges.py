"""The few facts beside the sections' names, asked for all the time: a query for each that is cheap, and the rest kept."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from django.core.cache import cache
from django.db.models import Count, Max, Q

from clabo.collect.events.models import Page
from clabo.judge.reports.today.mending import ToMend, to_mend
from clabo.judge.splits.models import SplitTest
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.queries import simulated_sources
from clabo.use.plans.queries import running

# What takes long to find out is found out anew, by the worker, once it is so old.
FRESH = timedelta(minutes=1)
KEPT_SECONDS = 24 * 3600


@dataclass(frozen=True, slots=True)
class Mending:
    """How many things there are to mend, and how many running tests lose visitors."""

    to_mend: int
    broken_tests: int


@dataclass(frozen=True, slots=True)
class NavBadges:
    """The state of each section in one or two numbers."""

    mending: Mending
    pages: int
    stopped_pages: int
    last_hit_at: datetime | None
    conversions: int
    audiences: int
    running_tests: int
    running_plans: int
    simulated: list[str]
    waiting: dict[str, Any] | None


def nav_badges(site: Site) -> NavBadges:
    """The facts as of now; what there is to mend as of a minute or two ago."""
    pages = Page.objects.filter(site=site).aggregate(
        n=Count("pk"), stopped=Count("pk", filter=Q(stopped_at__isnull=False)), last=Max("last_at")
    )
    return NavBadges(
        mending=_kept(site),
        pages=pages["n"],
        stopped_pages=pages["stopped"],
        last_hit_at=pages["last"],
        conversions=ConversionRule.objects.filter(site=site, deleted_at=None).count(),
        audiences=Audience.objects.filter(site=site, deleted_at=None).count(),
        running_tests=SplitTest.objects.filter(site=site, state=SplitTest.State.RUNNING).count(),
        running_plans=running(site),
        simulated=simulated_sources(site),
        waiting=site.waiting,
    )


def store_badges(site: Site, found: ToMend) -> Mending:
    """Keep what a whole look at the site has found, for the rail."""
    mending = Mending(found.count, len(found.broken))
    cache.set(_key(site.pk), {"at": datetime.now(UTC), **asdict(mending)}, KEPT_SECONDS)
    return mending


def _kept(site: Site) -> Mending:
    found: dict[str, Any] | None = cache.get(_key(site.pk))
    if found is None:
        return store_badges(site, to_mend(site, datetime.now(UTC)))
    at = found.pop("at")
    if datetime.now(UTC) - at > FRESH:
        # Imported late: the job looks at the site by way of this module.
        from clabo.judge.reports.tasks import mending

        mending.later(once=f"mending-{site.pk}", site_id=site.pk)
    return Mending(**found)


def _key(site_id: int) -> str:
    return f"mending-{site_id}"
