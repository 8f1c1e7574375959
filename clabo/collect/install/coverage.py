"""Which pages have the tag: known from hits, links, lists and sitemaps."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from typing import Literal
from xml.etree import ElementTree

from django.db.models import F, Q, QuerySet

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Element, Kind, Page
from clabo.collect.install.models import ListedPage, PageCheck
from clabo.core.pages.addresses import Address, AddressError
from clabo.platform.problems import Problem
from clabo.platform.wording import say
from clabo.setup.sites.fetching import fetch_from
from clabo.setup.sites.models import Site

State = Literal["seen", "twice", "stopped", "unopened"]
MOST_LISTED = 20_000


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


ORDER: tuple[State, ...] = ("stopped", "twice", "unopened", "seen")
MOST_SHOWN = 300
# Once the page came without the second tag again, it is mended.
_TWICE = Q(twice_at__gt=F("last_at") - timedelta(hours=1))


@dataclass(frozen=True, slots=True)
class Coverage:
    """How many pages are in which state, and the first of those that were asked for."""

    by_state: dict[State, int]
    pages: list[Covered]

    @property
    def total(self) -> int:
        return sum(self.by_state.values())


def coverage(site: Site, search: str = "", state: str = "", most: int = MOST_SHOWN) -> Coverage:
    """Every page known: what needs attention first, then by how much it is viewed.

    The database sorts and cuts: made-up addresses must not slow this down.
    """
    pages = Page.objects.filter(site=site)
    seen: dict[State, QuerySet[Page]] = {
        "stopped": pages.filter(stopped_at__isnull=False),
        "twice": pages.filter(_TWICE, stopped_at=None),
        "seen": pages.filter(~_TWICE | Q(twice_at=None), stopped_at=None),
    }
    unopened = _unopened(site)
    by_state: dict[State, int] = {name: rows.count() for name, rows in seen.items()}
    by_state["unopened"] = len(unopened)
    found: list[Covered] = []
    for name in ORDER:
        if state and state != name:
            continue
        if name == "unopened":
            wanted = [(a, source) for a, source in unopened.items() if search in a.path]
            wanted.sort(key=lambda item: (item[0].host, item[0].path))
            found += [_unseen(address, source) for address, source in wanted[:most]]
        else:
            rows = seen[name]
            if search:
                rows = rows.filter(Q(path__contains=search) | Q(title__contains=search))
            found += [_covered(p, name) for p in rows.order_by("-views", "host", "path")[:most]]
    return Coverage(
        {name: by_state[name] for name in ORDER if by_state[name]}, _with_checks(site, found[:most])
    )


def _covered(p: Page, state: State) -> Covered:
    return Covered(
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
        None,
    )


def _unseen(address: Address, source: str) -> Covered:
    return Covered(address.host, address.path, "", "unopened", 0, None, None, None, None, source, None)


def _with_checks(site: Site, found: list[Covered]) -> list[Covered]:
    checks = {
        (c.host, c.path): c for c in PageCheck.objects.filter(site=site, path__in={c.path for c in found})
    }
    return [replace(c, check=checks.get((c.host, c.path))) for c in found]


def _unopened(site: Site) -> dict[Address, str]:
    """Pages that somebody named or linked, and that no hit has come from."""
    listed = {Address(e.host, e.path): str(e.source) for e in ListedPage.objects.filter(site=site)}
    for address in _linked(site):
        listed.setdefault(address, ListedPage.Source.LINK)
    opened = Page.objects.filter(site=site, path__in={a.path for a in listed}).values_list("host", "path")
    for host, path in opened:
        listed.pop(Address(host, path), None)
    return listed


def _linked(site: Site) -> Iterable[Address]:
    """Pages that links on the site's pages lead to, as far as somebody has clicked them."""
    reading = SiteReader.of(site)
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
    reading = SiteReader.of(site)
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
            raise Problem(f"Line {number} is not an address: {say(error.told)}.", "pages") from None
        if address.host not in reading.hosts:
            raise Problem(
                f"Line {number}: {address.host[:80]} is none of this site’s hosts. Add it under Settings, "
                "or leave the line out.",
                "pages",
            )
        wanted.add(address)
    return _keep(site, wanted, source)


def list_sitemap(site: Site, url: str) -> int:
    """Take over the pages of a sitemap.xml (sitemaps.org) of the site's own; how many were not known before.

    A sitemap of sitemaps is followed one step, ten files at most.
    """
    locations, inner = _locations(fetch_from(site, url, ("xml", "text")).text)
    for each in inner[:10]:
        locations += _locations(fetch_from(site, each, ("xml", "text")).text)[0]
    reading = SiteReader.of(site)
    wanted = set()
    for location in locations:
        try:
            address = reading.page(location)
        except AddressError:
            continue
        if address.host in reading.hosts:
            wanted.add(address)
    if not wanted:
        raise Problem("The sitemap names no page on this site’s hosts.", "url")
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
    reading = SiteReader.of(site)
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
        raise Problem(f"A site’s list holds {MOST_LISTED:,} pages. Leave some out.", "pages")
    ListedPage.objects.bulk_create(
        [ListedPage(site=site, host=a.host, path=a.path, source=source) for a in fresh], ignore_conflicts=True
    )
    return len(fresh)
