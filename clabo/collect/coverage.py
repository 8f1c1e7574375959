"""Which pages have the tag: known from hits, links, lists and sitemaps; and whether it has stopped on one."""

from __future__ import annotations

import time
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal
from xml.etree import ElementTree

from django.db.models import Count, Max
from django.db.models.functions import ExtractHour, ExtractIsoWeekDay

from clabo.accounts.problems import Problem
from clabo.collect.attendance import absences
from clabo.collect.drafts import Reading
from clabo.collect.models import Element, Event, Kind, ListedPage, Page, PageCheck, Standing
from clabo.core.addresses import Address, AddressError
from clabo.core.rhythm import HOURS, silence
from clabo.sites.fetching import fetch
from clabo.sites.models import Site

State = Literal["seen", "twice", "stopped", "unopened"]
WEEKS = 4
MOST_LISTED = 20_000
_watched_at = 0.0
WATCH_EVERY = 600.0


@dataclass(frozen=True, slots=True)
class Covered:
    """One page, and what is known of the tag on it."""

    host: str
    path: str
    title: str
    state: State
    views: int
    per_day: float | None
    first_at: datetime | None
    last_at: datetime | None
    stopped_at: datetime | None
    # How the page is known where nobody has opened it with the tag yet.
    source: str
    check: PageCheck | None


def coverage(site: Site) -> list[Covered]:
    """Every page known: what needs attention first, then by how much it is viewed."""
    checks = {Address(c.host, c.path): c for c in PageCheck.objects.filter(site=site)}
    found: dict[Address, Covered] = {}
    for p in Page.objects.filter(site=site):
        address = Address(p.host, p.path)
        # Once the page came without the second tag again, it is mended.
        twice = p.twice_at is not None and p.twice_at > p.last_at - timedelta(hours=1)
        state: State = "stopped" if p.stopped_at else "twice" if twice else "seen"
        found[address] = Covered(
            p.host,
            p.path,
            p.title,
            state,
            p.views,
            p.per_day,
            p.first_at,
            p.last_at,
            p.stopped_at,
            "hits",
            checks.get(address),
        )
    listed = {Address(e.host, e.path): str(e.source) for e in ListedPage.objects.filter(site=site)}
    for address in _linked(site):
        listed.setdefault(address, ListedPage.Source.LINK)
    for address, source in listed.items():
        if address not in found:
            found[address] = Covered(
                address.host,
                address.path,
                "",
                "unopened",
                0,
                None,
                None,
                None,
                None,
                source,
                checks.get(address),
            )
    order = {"stopped": 0, "twice": 1, "unopened": 2, "seen": 3}
    return sorted(found.values(), key=lambda c: (order[c.state], -c.views, c.host, c.path))


def _linked(site: Site) -> Iterable[Address]:
    """Pages that links on the site's pages lead to, as far as somebody has clicked them."""
    reading = Reading.of(site)
    clicks = Element.objects.filter(site=site, kind=Kind.CLICK, traits__what="link")
    for to in clicks.values_list("traits__to", flat=True)[:2000]:
        try:
            address = reading.page("https://" + (to or ""))
        except AddressError:
            continue
        if address.host in reading.hosts:
            yield address


def list_pages(site: Site, text: str, source: str = ListedPage.Source.PASTED) -> int:
    """Take pages over from a list, an address a line (a path is enough); how many were not known before."""
    reading = Reading.of(site)
    first = next(iter(site.hosts.all()))
    wanted: set[Address] = set()
    for number, line in enumerate(text.splitlines(), 1):
        written = line.strip()
        if not written:
            continue
        url = f"https://{first.host}{written}" if written.startswith("/") else written
        try:
            address = reading.page(url if "://" in url else "https://" + url)
        except AddressError as error:
            raise Problem(f"Line {number} is not an address: {error}.", "pages") from None
        if address.host not in reading.hosts:
            raise Problem(
                f"Line {number}: {address.host[:80]} is none of this site's hosts. Add it under Settings, "
                "or leave the line out.",
                "pages",
            )
        wanted.add(address)
    return _keep(site, wanted, source)


def list_sitemap(site: Site, url: str) -> int:
    """Take over the pages of a sitemap.xml (sitemaps.org) of the site's own; how many were not known before.

    A sitemap of sitemaps is followed one step, ten files at most.
    """
    hosts = [h.host for h in site.hosts.all()]
    locations, inner = _locations(fetch(url, hosts, ("xml", "text")).text)
    for each in inner[:10]:
        locations += _locations(fetch(each, hosts, ("xml", "text")).text)[0]
    reading = Reading.of(site)
    wanted = set()
    for location in locations:
        try:
            address = reading.page(location)
        except AddressError:
            continue
        if address.host in reading.hosts:
            wanted.add(address)
    if not wanted:
        raise Problem("The sitemap names no page on this site's hosts.", "url")
    return _keep(site, wanted, ListedPage.Source.SITEMAP)


def _locations(text: str) -> tuple[list[str], list[str]]:
    # A document type could define entities that grow without end; sitemaps have none. With that refused, and
    # the text known to be UTF-8, nothing is left of what makes the parser unsafe.
    if "<!DOCTYPE" in text or "<!ENTITY" in text:
        raise Problem("This is no sitemap: sitemaps have no document type.", "url")
    try:
        root = ElementTree.fromstring(text.encode())  # noqa: S314
    except ElementTree.ParseError as error:
        raise Problem(f"This is no sitemap: {error}.", "url") from None
    found = [(e.text or "").strip() for e in root.iter() if e.tag.rpartition("}")[2] == "loc"]
    return ([], found) if root.tag.endswith("sitemapindex") else (found, [])


def keep_links(site: Site, links: Iterable[str]) -> int:
    """Take over those links of a checked page that lead to the site's own pages."""
    reading = Reading.of(site)
    wanted = set()
    for link in links:
        try:
            address = reading.page(link)
        except AddressError:
            continue
        if address.host in reading.hosts and "." not in address.path.rpartition("/")[2]:
            wanted.add(address)
    return _keep(site, wanted, ListedPage.Source.LINK)


def _keep(site: Site, wanted: Iterable[Address], source: str) -> int:
    known = {Address(*a) for a in ListedPage.objects.filter(site=site).values_list("host", "path")}
    known |= {Address(*a) for a in Page.objects.filter(site=site).values_list("host", "path")}
    fresh = [a for a in wanted if a not in known]
    if len(known) + len(fresh) > MOST_LISTED:
        raise Problem(f"A site's list holds {MOST_LISTED:,} pages. Leave some out.", "pages")
    ListedPage.objects.bulk_create(
        [ListedPage(site=site, host=a.host, path=a.path, source=source) for a in fresh], ignore_conflicts=True
    )
    return len(fresh)


def watch_tags() -> bool:
    """The worker's chore: every ten minutes, look at each page's rhythm. Whether it was time."""
    global _watched_at
    if time.monotonic() - _watched_at < WATCH_EVERY and _watched_at:
        return False
    _watched_at = time.monotonic()
    for site in Site.objects.all():
        watch_site(site, datetime.now(UTC))
    return True


def watch_site(site: Site, now: datetime) -> list[Page]:
    """Note on every page how much it is viewed and whether its tag has stopped; the pages on which it has.

    The rhythm is that of the eight weeks before; while Clabo was away itself, silence means nothing.
    """
    since = now - timedelta(weeks=2 * WEEKS)
    rows = (
        Event.objects.filter(site=site, kind=Kind.VIEW, time__gte=since, visit__standing=Standing.COUNTED)
        .annotate(day=ExtractIsoWeekDay("time", tzinfo=site.zone), hour=ExtractHour("time", tzinfo=site.zone))
        .values_list("page_id", "day", "hour")
        .annotate(n=Count("id"), last=Max("time"))
    )
    counts: defaultdict[int, list[float]] = defaultdict(lambda: [0.0] * HOURS)
    last: dict[int, datetime] = {}
    for page_id, day, hour, n, at in rows:
        counts[page_id][(day - 1) * 24 + hour] += n
        last[page_id] = max(at, last.get(page_id, at))
    pages = list(Page.objects.filter(site=site, pk__in=counts))
    absent = absences(min(last.values(), default=now), now)
    stopped = []
    for page in pages:
        begun = max(page.first_at, since)
        weeks = max((last[page.pk] - begun) / timedelta(weeks=1), 1.0)
        zone = site.zone
        quiet = silence(
            counts[page.pk], weeks, last[page.pk].astimezone(zone), now.astimezone(zone), len(pages), absent
        )
        page.per_day = sum(counts[page.pk]) / (weeks * 7)
        page.stopped_at = last[page.pk] if quiet.stopped else None
        if quiet.stopped:
            stopped.append(page)
    Page.objects.bulk_update(pages, ["per_day", "stopped_at"], batch_size=1000)
    return stopped
