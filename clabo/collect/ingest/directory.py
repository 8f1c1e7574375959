"""Which sites there are, kept in memory for the collector, which must not ask at every hit."""

from __future__ import annotations

import hashlib
import logging
import threading
import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from ipaddress import IPv4Network, IPv6Address, IPv6Network, ip_address, ip_network
from typing import Any

import msgspec
from django.conf import settings
from django.db import InterfaceError, OperationalError

from clabo.platform.logs import Seldom
from clabo.platform.registry import Registry
from clabo.setup.sites.models import Consent, Site

log = logging.getLogger(__name__)
_unread = Seldom(log.error)
_AWAY = (OperationalError, InterfaceError)

Network = IPv4Network | IPv6Network
# From sites to what each site's tag is served with besides, by site id; apps register in their `AppConfig.ready()`.
tag_settings: Registry[Callable[[Sequence[Site]], dict[int, dict[str, Any]]]] = Registry(
    "addition to the tag's settings", ("sites",)
)


@dataclass(frozen=True, slots=True)
class TagSite:
    """What the collector knows of a site. `settings` is what its tag is served with.

    `nameless`: visitors have no stored id; `own_networks`: where the site's own people visit from.
    """

    id: int
    key: str
    hosts: frozenset[str]
    settings: bytes
    etag: str
    nameless: bool = False
    # A split test runs, so that the tag must know how to split.
    splits: bool = False
    # Its tag needs what most do not: consent, visitors without an id, pages told apart by more than their path, people
    # who are to see the same variants on another device.
    more: bool = False
    own_networks: tuple[Network, ...] = ()
    # One of its split tests is of content; one is not for everybody, or shares its visitors with another.
    content: bool = False
    who: bool = False

    def is_own(self, address: str) -> bool:
        """Whether `address` lies in one of the site's own networks."""
        if not self.own_networks:
            return False
        try:
            ip = ip_address(address)
        except ValueError:
            return False
        if isinstance(ip, IPv6Address) and ip.ipv4_mapped:
            ip = ip.ipv4_mapped
        return any(ip in network for network in self.own_networks)


def tag_sites(sites: Sequence[Site]) -> list[TagSite]:
    """The entries for `sites`, whose hosts should be prefetched; a few queries for all of them."""
    more = [added(sites) for added in tag_settings.all().values()]
    return [_entry(site, [m.get(site.pk, {}) for m in more]) for site in sites]


def tag_site(site: Site) -> TagSite:
    """The entry for one site."""
    return tag_sites([site])[0]


def _entry(site: Site, more: Iterable[dict[str, Any]]) -> TagSite:
    wanted: dict[str, Any] = {"key": site.key, "to": settings.CLABO_COLLECT_URL or settings.PUBLIC_URL}
    hosts = list(site.hosts.all())
    wanted["hosts"] = [h.host for h in hosts]
    if stand := {h.host: h.stands_for for h in hosts if h.stands_for}:
        wanted["stand"] = stand
    if settings.CLABO_MEASURED:
        wanted["speed"] = settings.CLABO_MEASURED
    if site.keep_fragment:
        wanted["fragment"] = True
    if site.meaningful_parameters:
        wanted["meaningful"] = site.meaningful_parameters
    if site.consent != Consent.ALWAYS:
        wanted["consent"] = site.consent
    if site.frame_origins:
        wanted["frames"] = site.frame_origins
    for each in more:
        wanted.update(each)
    nameless = site.consent == Consent.NAMELESS
    if nameless:
        # Without an id nobody can be shown the same variant again.
        wanted["tests"] = []
    encoded = msgspec.json.encode(wanted)
    return TagSite(
        site.pk,
        site.key,
        frozenset(h.host for h in hosts),
        encoded,
        hashlib.sha256(encoded).hexdigest()[:20],
        nameless,
        bool(wanted.get("tests")),
        not wanted.keys().isdisjoint({"consent", "fragment", "meaningful", "same"}),
        tuple(ip_network(n) for n in site.own_networks),
        any("changes" in test for test in wanted.get("tests", ())),
        any(not _OF_SOME.isdisjoint(test) for test in wanted.get("tests", ())),
    )


_OF_SOME = {"who", "layer", "start", "salt"}


class Directory:
    """All sites by key. `refresh` reads the database; lookups never do.

    What one workspace has stored can hurt its own pages alone: of a site that cannot be read the last good entry holds,
    and where there is none, whatever of it can be read, so that its hits are taken in all the same.
    """

    def __init__(self) -> None:
        self._sites: dict[str, TagSite] = {}
        self._lock = threading.Lock()
        # Sites that could not be read the last time: they are read one by one, the others together.
        self._unreadable: set[int] = set()
        self.loaded_at = 0.0

    def get(self, key: str) -> TagSite | None:
        """The site with that key, as of the last refresh."""
        return self._sites.get(key)

    def refresh(self, at_most_every: float = 0.0) -> None:
        """Read all sites again, unless that was done in the last `at_most_every` seconds.

        Raises the database's error when it is away; what was known stays known.
        """
        with self._lock:
            if time.monotonic() - self.loaded_at < at_most_every:
                return
            # What is made while this reads may be missing: it counts as read from its beginning on.
            begun = time.monotonic()
            sites = list(Site.objects.prefetch_related("hosts"))
            alone = [s for s in sites if s.pk in self._unreadable]
            found = self._read([s for s in sites if s.pk not in self._unreadable])
            found += [entry for site in alone for entry in self._read([site])]
            self._unreadable &= {s.pk for s in sites}
            self._sites = {s.key: s for s in found}
            self.loaded_at = begun

    def _read(self, sites: Sequence[Site]) -> list[TagSite]:
        """The entries of these sites: read together, in halves where that fails, at last by themselves."""
        if not sites:
            return []
        try:
            found = tag_sites(sites)
        except _AWAY:
            raise
        except Exception as error:
            if len(sites) > 1:
                half = len(sites) // 2
                return self._read(sites[:half]) + self._read(sites[half:])
            self._unreadable.add(sites[0].pk)
            _unread("site %s cannot be read for its tag: %r", sites[0].pk, error)
            known = self._sites.get(sites[0].key)
            return [known] if known else _without_what_fails(sites[0])
        if len(sites) == 1:
            self._unreadable.discard(sites[0].pk)
        return found


def _without_what_fails(site: Site) -> list[TagSite]:
    more = []
    for name, added in tag_settings.all().items():
        try:
            more.append(added([site]).get(site.pk, {}))
        except _AWAY:
            raise
        except Exception:
            _unread("site %s: its tag goes without %s", site.pk, name)
    try:
        return [_entry(site, more)]
    except Exception:
        return []
