"""Tries what landing pages link to on the site's own hosts."""

from __future__ import annotations

from collections.abc import Collection
from datetime import datetime, timedelta
from itertools import chain
from urllib.parse import urlsplit

from clabo.collect.pictures.models import LinkCheck, PageLook
from clabo.platform.problems import Problem
from clabo.setup.sites.fetching import fetch_from
from clabo.setup.sites.models import Site

# In one go, so that a site's pages are not asked for faster than somebody would read them.
MOST_AT_ONCE = 40
_AGAIN = timedelta(days=6)
# What says for certain that there is nothing (RFC 9110); anything else may be a bad moment.
NOWHERE = (404, 410)


def try_some(site: Site, now: datetime, most: int = MOST_AT_ONCE) -> int:
    """Try addresses that were never tried, or not for six days; how many were. What nobody links to is forgotten."""
    linked = set(chain.from_iterable(PageLook.objects.filter(site=site).values_list("links", flat=True)))
    LinkCheck.objects.filter(site=site).exclude(address__in=linked).delete()
    known = dict(LinkCheck.objects.filter(site=site).values_list("address", "checked_at"))
    never = datetime.min.replace(tzinfo=now.tzinfo)
    due = sorted((known.get(a, never), a) for a in linked if a not in known or now - known[a] >= _AGAIN)
    for _, address in due[:most]:
        _try(site, address, now)
    return len(due[:most])


def _try(site: Site, address: str, now: datetime) -> None:
    try:
        status = fetch_from(site, address, kinds=("",)).status
    except Problem:
        status = 0
    check, _ = LinkCheck.objects.get_or_create(
        site=site, address=address, defaults={"checked_at": now, "status": status}
    )
    check.checked_at, check.status = now, status
    if status in NOWHERE:
        check.dead_since = check.dead_since or now
    elif status:
        check.dead_since = None
    check.save()


def dead_links(site: Site, pages: Collection[int]) -> dict[int, tuple[str, datetime]]:
    """Of these pages those with a link that leads nowhere: its path, and since when that is known."""
    rows = LinkCheck.objects.filter(site=site).exclude(dead_since=None)
    dead = {c.address: c.dead_since for c in rows if c.dead_since is not None}
    found: dict[int, tuple[str, datetime]] = {}
    if dead:
        for look in PageLook.objects.filter(site=site, page_id__in=pages):
            gone = sorted((dead[a], a) for a in look.links if a in dead)
            if gone:
                since, address = gone[0]
                found[look.page_id] = (urlsplit(address).path or "/", since)
    return found
