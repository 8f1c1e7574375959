"""Has the tag stopped on a page? Looked at every ten minutes, against each page's own weeks."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta

import numpy as np
from django.db.models import Count, Max, Min, QuerySet
from numpy.typing import NDArray

from clabo.collect.events.models import Event, Kind, Page
from clabo.collect.install.checking import check_page
from clabo.collect.install.models import PageCheck
from clabo.core.pages.addresses import Address
from clabo.core.pages.silence import Rhythm, Silence, beside, silence
from clabo.judge.splits.services import resting_pages
from clabo.platform.jobs.each import for_each
from clabo.platform.problems import Problem
from clabo.setup.monitoring.seasonality import WEEKS, by_hour, days_before, rhythm_before
from clabo.setup.monitoring.uptime import Span, absences
from clabo.setup.sites.models import Site

# Of less nothing is asked: no silence so short is judged.
LEAST_EXPECTED = 2.0
# A page that is silent with more expected than this says nothing of how busy the others are.
SUSPECT = 5.0
# So long a look at a page holds, and so many pages are looked at at once.
LOOK_HOLDS = timedelta(hours=6)
MOST_LOOKS = 5


@dataclass(slots=True)
class Viewed:
    """A page's visits in counted visits of the weeks looked at: how many, views, the first and the last."""

    page: Page
    visits: int
    views: int
    first: datetime
    last: datetime

    def days(self, since: datetime) -> float:
        return max((self.last - max(self.page.first_at, since)) / timedelta(days=1), 7.0)

    def roughly_expected(self, since: datetime, now: datetime) -> float:
        """Visits since the last one, were all hours alike."""
        return self.visits / self.days(since) * ((now - self.last) / timedelta(days=1))


def watch_sites() -> None:
    """Look at each page's visits, on every site."""
    for_each(Site.objects.all(), lambda site: watch_site(site, datetime.now(UTC)), "watching tags")


def watch_site(site: Site, now: datetime) -> list[Page]:
    """Note on every page how much it is viewed and whether its tag has stopped; the pages on which it has.

    Silence means nothing while Clabo was away itself, or on a page that nobody is sent to any more.
    """
    since = now - timedelta(weeks=WEEKS)
    views = Event.objects.in_counted_visits().filter(site=site, kind=Kind.VIEW, time__gte=since)
    viewed = _viewed(site, views)
    resting = resting_pages(site)
    for one in viewed:
        one.page.per_day = one.views / one.days(since)
    silent = [
        one
        for one in viewed
        if one.last > resting.get(Address(one.page.host, one.page.path), since)
        and one.roughly_expected(since, now) > LEAST_EXPECTED
    ]
    was = {one.page.pk for one in viewed if one.page.stopped_at}
    stopped = _judged(site, views, viewed, silent, now) if silent else []
    for one in viewed:
        one.page.stopped_at = None
    looks = 0
    for one, found in stopped:
        doubted = one.page.pk not in was and not found.beyond_doubt and looks < MOST_LOOKS
        looks += doubted
        if not (doubted and _tag_is_there(site, one.page, now)):
            one.page.stopped_at = one.last
    Page.objects.bulk_update([o.page for o in viewed], ["per_day", "stopped_at"], batch_size=1000)
    return [one.page for one in viewed if one.page.stopped_at]


def _viewed(site: Site, views: QuerySet[Event]) -> list[Viewed]:
    rows = views.values_list("page_id").annotate(
        Count("visit_id", distinct=True), Count("id"), Min("time"), Max("time")
    )
    found = {page_id: (visits, n, first, last) for page_id, visits, n, first, last in rows.order_by()}
    pages = Page.objects.filter(site=site, pk__in=found)
    return [Viewed(page, *found[page.pk]) for page in pages]


def _judged(
    site: Site, views: QuerySet[Event], viewed: list[Viewed], silent: list[Viewed], now: datetime
) -> list[tuple[Viewed, Silence]]:
    """Those of `silent` whose silence is no chance, with what goes on on the site's other pages held beside it."""
    since = now - timedelta(weeks=WEEKS)
    days = days_before(now + timedelta(days=1), since, site.zone)
    visits = Count("visit_id", distinct=True)
    own = by_hour(views.filter(page_id__in=[o.page.pk for o in silent]), "page_id", visits, site.zone, days)
    rhythms = {
        o.page.pk: rhythm_before(own[o.page.pk], days, o.last, max(o.page.first_at, since), site.zone)
        for o in silent
        if o.page.pk in own
    }
    resting = {o.page.pk for o in viewed if o.roughly_expected(since, now) > SUSPECT} - set(rhythms)
    suspects = [
        *resting,
        *(
            o.page.pk
            for o in silent
            if (rhythm := rhythms.get(o.page.pk)) and _expected(rhythm, o.last, now, site) > SUSPECT
        ),
    ]
    others = _Others(site, views.exclude(page_id__in=suspects), viewed, days)
    absent = absences(min(o.last for o in silent), now)
    found = []
    for one in silent:
        rhythm = rhythms.get(one.page.pk)
        if rhythm is None:
            continue
        here = (one.last.astimezone(site.zone), now.astimezone(site.zone))
        judged = silence(rhythm, *here, len(viewed), absent, others.part(*here, absent))
        if judged.stopped:
            found.append((one, judged))
    return found


def _expected(rhythm: Rhythm, last: datetime, now: datetime, site: Site) -> float:
    return sum(rhythm.expected(last.astimezone(site.zone), now.astimezone(site.zone)).values())


class _Others:
    """How busy the site is on those of its pages that are not silent, beside what it usually is there."""

    def __init__(self, site: Site, views: QuerySet[Event], viewed: list[Viewed], days: list[date]) -> None:
        self._site, self._days = site, days
        visits = Count("visit_id", distinct=True)
        self._cells: NDArray[np.float64] | None = by_hour(views, None, visits, site.zone, days).get(None)
        self._first = min((o.first for o in viewed), default=None)
        self._views = views

    def part(self, last: datetime, now: datetime, absent: list[Span]) -> float:
        """1 where it is as busy as usual, or nothing is known of it: then nothing explains a silence."""
        if self._cells is None or self._first is None:
            return 1.0
        rhythm = rhythm_before(self._cells, self._days, last, self._first, self._site.zone)
        if rhythm is None:
            return 1.0
        seen = self._views.filter(time__gt=last, time__lte=now).aggregate(n=Count("visit_id", distinct=True))[
            "n"
        ]
        return beside(seen, sum(rhythm.expected(last, now, absent).values()))


def _tag_is_there(site: Site, page: Page, now: datetime) -> bool:
    """Whether a look at the page finds the tag as it should be; not where it cannot be had."""
    kept = PageCheck.objects.filter(
        site=site, host=page.host, path=page.path, checked_at__gt=now - LOOK_HOLDS
    ).first()
    if kept:
        return bool(kept.findings) and all(f["good"] for f in kept.findings)
    try:
        return all(f.good for f in check_page(site, f"https://{page}").findings)
    except Problem:
        return False
