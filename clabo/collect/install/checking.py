"""Checks one page: what its HTML says of the tag, and what its hits say."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import UTC, datetime

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import Page
from clabo.collect.install import coverage
from clabo.collect.install.models import PageCheck
from clabo.core.pages.addresses import AddressError
from clabo.core.pages.tag_check import TagFinding, read_page
from clabo.setup.sites.fetching import fetch_from
from clabo.setup.sites.models import Consent, Site
from clabo.setup.sites.reach import origin_of, tag_origin


@dataclass(frozen=True, slots=True)
class CheckedPage:
    """A checked page. `page` is what hits have told of it, if any; `new_links` how many pages it made known."""

    url: str
    status: int
    redirects: list[str]
    title: str
    findings: list[TagFinding]
    page: Page | None
    new_links: int
    frames: list[str]


def check_page(site: Site, url: str) -> CheckedPage:
    """Fetch a page of the site and look for the tag; raises Problem where it cannot be had."""
    url = url.strip()
    if url.startswith("/"):
        url = origin_of(site) + url
    elif "://" not in url:
        host, slash, path = url.partition("/")
        url = origin_of(site, host.lower()) + slash + path
    reading = SiteReader.of(site)
    fetched = fetch_from(site, url)
    report = read_page(fetched.text, fetched.url, site.key, tag_origin(), fetched.policies)
    findings = list(report.findings)
    if site.consent == Consent.ASK and not any(f.verdict == "gated" for f in findings):
        findings.append(TagFinding("gated", True, "by this site's own setting"))
    new_links = 0
    page = None
    if fetched.status < 400:
        new_links = coverage.keep_links(site, report.links)
    try:
        address = reading.page(fetched.url)
        page = Page.objects.filter(site=site, host=address.host, path=address.path).first()
        PageCheck.objects.update_or_create(
            site=site,
            host=address.host,
            path=address.path,
            defaults={"checked_at": datetime.now(UTC), "findings": [asdict(f) for f in findings]},
        )
    except AddressError:
        pass
    return CheckedPage(
        fetched.url,
        fetched.status,
        fetched.redirects,
        report.title,
        findings,
        page,
        new_links,
        [f for f in report.frames if not f.startswith(tuple(_origins(site)))],
    )


def _origins(site: Site) -> list[str]:
    return [f"{scheme}://{h.host}" for h in site.hosts.all() for scheme in ("http", "https")]
