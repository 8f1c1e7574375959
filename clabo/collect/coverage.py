"""Which pages have the tag: known from hits, links, lists and sitemaps."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Literal
from xml.etree import ElementTree

from clabo.accounts.problems import Problem
from clabo.collect.drafts import Reading
from clabo.collect.models import Element, Kind, ListedPage, Page, PageCheck
from clabo.core.addresses import Address, AddressError
from clabo.sites.fetching import fetch_from
from clabo.sites.models import Site

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
    locations, inner = _locations(fetch_from(site, url, ("xml", "text")).text)
    for each in inner[:10]:
        locations += _locations(fetch_from(site, each, ("xml", "text")).text)[0]
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
