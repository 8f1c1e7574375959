"""Has the tag stopped on a page? Looked at every ten minutes, against each page's own seasonality."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from clabo.core.addresses import Address
from clabo.core.seasonality import silence
from clabo.events.models import Event, Kind, Page
from clabo.jobs.each import for_each
from clabo.monitoring.seasonality import WEEKS, seasonality_by
from clabo.monitoring.uptime import absences
from clabo.sites.models import Site
from clabo.splits.services import resting_pages


def watch_sites() -> None:
    """Look at each page's seasonality, on every site."""
    for_each(Site.objects.all(), lambda site: watch_site(site, datetime.now(UTC)), "watching tags")


def watch_site(site: Site, now: datetime) -> list[Page]:
    """Note on every page how much it is viewed and whether its tag has stopped; the pages on which it has.

    The seasonality is that of the eight weeks before; silence means nothing while Clabo was away itself,
    or on a page that nobody is sent to any more.
    """
    since = now - timedelta(weeks=WEEKS)
    views = Event.objects.in_counted_visits().filter(site=site, kind=Kind.VIEW, time__gte=since)
    seasonality = seasonality_by(views, "page_id", site.zone)
    pages = list(Page.objects.filter(site=site, pk__in=seasonality))
    absent = absences(min((r.last for r in seasonality.values()), default=now), now)
    resting = resting_pages(site)
    stopped = []
    for page in pages:
        own = seasonality[page.pk]
        weeks = own.weeks(max(page.first_at, since))
        page.per_day = sum(own.by_hour) / (weeks * 7)
        page.stopped_at = None
        if own.last <= resting.get(Address(page.host, page.path), since):
            continue
        here = (own.last.astimezone(site.zone), now.astimezone(site.zone))
        if silence(own.by_hour, weeks, *here, len(pages), absent).stopped:
            page.stopped_at = own.last
            stopped.append(page)
    Page.objects.bulk_update(pages, ["per_day", "stopped_at"], batch_size=1000)
    return stopped
