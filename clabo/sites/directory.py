"""Which sites there are, kept in memory for the collector, which must not ask at every hit."""

from __future__ import annotations

import hashlib
import threading
import time
from dataclasses import dataclass
from typing import Any

import msgspec
from django.conf import settings
from django.utils.module_loading import import_string

from clabo.sites.models import Site


@dataclass(frozen=True, slots=True)
class TagSite:
    """What the collector knows of a site. `settings` is what its tag is served with."""

    id: int
    key: str
    hosts: frozenset[str]
    settings: bytes
    etag: str


def tag_site(site: Site) -> TagSite:
    """The entry for one site; its hosts must be prefetched or are queried."""
    wanted: dict[str, Any] = {"key": site.key, "to": settings.CLABO_COLLECT_URL or settings.PUBLIC_URL}
    hosts = list(site.hosts.all())
    if stand := {h.host: h.stands_for for h in hosts if h.stands_for}:
        wanted["stand"] = stand
    if site.keep_fragment:
        wanted["fragment"] = True
    for path in settings.CLABO_TAG_SETTINGS:
        wanted.update(import_string(path)(site))
    encoded = msgspec.json.encode(wanted)
    return TagSite(
        site.pk,
        site.key,
        frozenset(h.host for h in hosts),
        encoded,
        hashlib.sha256(encoded).hexdigest()[:20],
    )


class Directory:
    """All sites by key. `refresh` reads the database; lookups never do."""

    def __init__(self) -> None:
        self._sites: dict[str, TagSite] = {}
        self._lock = threading.Lock()
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
            sites = {s.key: tag_site(s) for s in Site.objects.prefetch_related("hosts")}
            self._sites = sites
            self.loaded_at = time.monotonic()
