"""Refused requests, counted in memory and written every few seconds."""

from __future__ import annotations

import threading
from collections import Counter
from datetime import UTC, datetime
from typing import Any, cast

from django.db import transaction

from clabo.collect.intake import Refused
from clabo.collect.models import Refusal

Key = tuple[int | None, str]


class Tally:
    """Counts by site and reason since the last save, with the last detail of each."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._counts: Counter[Key] = Counter()
        self._samples: dict[Key, str] = {}

    def add(self, refused: Refused) -> None:
        """Count one refusal."""
        key = (refused.site_id, refused.reason)
        with self._lock:
            self._counts[key] += 1
            self._samples[key] = refused.detail

    def save(self) -> None:
        """Write what was counted; it stays counted here when the database is away."""
        with self._lock:
            counts, samples = self._counts, dict(self._samples)
            self._counts = Counter()
        try:
            self._write(counts, samples)
        except Exception:
            with self._lock:
                self._counts.update(counts)
            raise

    def _write(self, counts: Counter[Key], samples: dict[Key, str]) -> None:
        with transaction.atomic():
            for key, count in counts.items():
                note(*key, count, samples[key])


def note(site_id: int | None, reason: str, count: int, sample: str = "") -> None:
    """Add to today's count of one reason. Call inside a transaction."""
    now = datetime.now(UTC)
    row, _ = Refusal.objects.select_for_update().get_or_create(
        site_id=cast(Any, site_id), day=now.date(), reason=reason, defaults={"count": 0, "last_at": now}
    )
    row.count += count
    row.sample, row.last_at = sample[:300].replace("\x00", ""), now
    row.save()
