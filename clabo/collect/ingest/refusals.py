"""Refused requests, counted in memory and written every few seconds."""

from __future__ import annotations

import threading
from collections import Counter
from datetime import UTC, datetime, timedelta
from typing import Any, cast

from django.db import transaction
from django.db.models import F

from clabo.collect.ingest.beacon import Refused
from clabo.collect.ingest.models import Refusal, RefusedHost
from clabo.setup.sites.models import Site

# Told apart for each site: anyone can send a host.
MOST_HOSTS = 30
Key = tuple[int | None, str]


class Tally:
    """Counts by site and reason since the last save, with the last detail of each."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._counts: Counter[Key] = Counter()
        self._samples: dict[Key, str] = {}
        self._hosts: Counter[tuple[int, str]] = Counter()

    def add(self, refused: Refused, times: int = 1) -> None:
        """Count a refusal."""
        key = (refused.site_id, refused.reason)
        with self._lock:
            self._counts[key] += times
            self._samples[key] = refused.detail
            if refused.host and refused.site_id and len(self._hosts) < MOST_HOSTS * 100:
                self._hosts[refused.site_id, refused.host] += 1

    def save(self) -> None:
        """Write what was counted; it stays counted here when the database is away."""
        with self._lock:
            counts, samples, hosts = self._counts, dict(self._samples), self._hosts
            self._counts, self._hosts = Counter(), Counter()
        try:
            self._write(counts, samples, hosts)
        except Exception:
            with self._lock:
                self._counts.update(counts)
                self._hosts.update(hosts)
            raise

    def _write(self, counts: Counter[Key], samples: dict[Key, str], hosts: Counter[tuple[int, str]]) -> None:
        with transaction.atomic():
            for (site_id, host), count in hosts.items():
                _note_host(site_id, host, count)
            for key, count in counts.items():
                note(*key, count, samples[key])


def _note_host(site_id: int, host: str, count: int) -> None:
    known = RefusedHost.objects.filter(site_id=site_id)
    now = datetime.now(UTC)
    if (
        not known.filter(host=host).update(count=F("count") + count, last_at=now)
        and known.count() < MOST_HOSTS
    ):
        RefusedHost.objects.create(site_id=site_id, host=host[:253], count=count, last_at=now)


def refused_hosts(site: Site) -> list[RefusedHost]:
    """Hosts whose pages sent hits in the last week and are none of the site's, the most frequent first."""
    own = {h.host for h in site.hosts.all()}
    recent = datetime.now(UTC) - timedelta(days=7)
    rows = RefusedHost.objects.filter(site=site, last_at__gte=recent).order_by("-count", "host")
    return [row for row in rows if row.host not in own]


def note(site_id: int | None, reason: str, count: int, sample: str = "") -> None:
    """Add to today's count of one reason. Call inside a transaction."""
    now = datetime.now(UTC)
    row, _ = Refusal.objects.select_for_update().get_or_create(
        site_id=cast(Any, site_id), day=now.date(), reason=reason, defaults={"count": 0, "last_at": now}
    )
    row.count += count
    row.sample, row.last_at = sample[:300].replace("\x00", ""), now
    row.save()
