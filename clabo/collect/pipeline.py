"""The worker's loop: from the inbox to stored events, conversions and exposures.

A batch and its cursor commit together: the inbox rows are deleted in the transaction that stores
what they held. Killed at any point, the worker neither loses nor repeats anything.
"""

from __future__ import annotations

import gc
import logging
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache

import msgspec
from django.conf import settings
from django.db import DataError, IntegrityError, connection, transaction
from django.utils.module_loading import import_string

from clabo.collect.drafts import Draft, Reading, drafts
from clabo.collect.intake import Envelope, unpack
from clabo.collect.models import InboxBatch
from clabo.collect.storing import StoredBatch, store
from clabo.sites.models import Site

log = logging.getLogger(__name__)

Stage = Callable[[StoredBatch], None]
BATCH_REQUESTS = 10_000


@dataclass(frozen=True, slots=True)
class Backlog:
    """What waits in the inbox. `oldest` is None when nothing does."""

    groups: int
    oldest: datetime | None
    set_aside: int


def backlog() -> Backlog:
    """How far behind the pipeline is."""
    waiting = InboxBatch.objects.filter(failed="").order_by("id")
    first = waiting.values_list("received_at", flat=True).first()
    return Backlog(waiting.count() if first else 0, first, InboxBatch.objects.exclude(failed="").count())


@lru_cache(maxsize=1)
def _stages(paths: tuple[str, ...]) -> list[Stage]:
    return [import_string(path) for path in paths]


def lock_site(site_id: int) -> None:
    """Until the transaction ends, nobody else writes visits or conversions of this site."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_advisory_xact_lock(72727, %s)", [site_id])


def run_once(most_requests: int = BATCH_REQUESTS) -> int:
    """Process one batch of inbox rows; the number of events stored, or -1 when nothing waited.

    A row that the data itself makes impossible to store is set aside with the reason, and the
    others are tried again without it.
    """
    rows = _waiting(most_requests)
    if not rows:
        return -1
    try:
        return _process(rows)
    except (DataError, IntegrityError, msgspec.DecodeError, ValueError) as error:
        if len(rows) > 1:
            return sum(max(0, _process_or_set_aside(row)) for row in rows)
        _set_aside(rows[0], error)
        return 0


def drain() -> int:
    """Process until nothing waits; the number of events stored."""
    stored = 0
    while (count := run_once()) >= 0:
        stored += count
    return stored


def _waiting(most_requests: int) -> list[int]:
    rows = InboxBatch.objects.filter(failed="").order_by("id").values_list("id", "requests")[:500]
    ids: list[int] = []
    requests = 0
    for row_id, count in rows:
        if ids and requests + count > most_requests:
            break
        ids.append(row_id)
        requests += count
    return ids


@contextmanager
def _without_collecting() -> Iterator[None]:
    """No cyclic garbage collection: a batch makes a million objects, and none of them in cycles."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


def _process(row_ids: list[int]) -> int:
    with _without_collecting(), transaction.atomic():
        # Rows that another worker holds or has done are skipped.
        rows = list(
            InboxBatch.objects.select_for_update(skip_locked=True).filter(id__in=row_ids).order_by("id")
        )
        envelopes: list[Envelope] = []
        for row in rows:
            envelopes += unpack(bytes(row.payload))
        stored = _store(envelopes)
        InboxBatch.objects.filter(id__in=[row.pk for row in rows]).delete()
    return stored


def _store(envelopes: list[Envelope]) -> int:
    by_site: defaultdict[int, list[Envelope]] = defaultdict(list)
    for envelope in envelopes:
        by_site[envelope.site_id].append(envelope)
    stored = 0
    for site_id in sorted(by_site):
        lock_site(site_id)
        site = Site.objects.prefetch_related("hosts").filter(pk=site_id).first()
        if site is None:  # removed since
            continue
        reading = Reading.of(site)
        made: list[Draft] = []
        for envelope in by_site[site_id]:
            made += drafts(envelope, reading)
        batch = store(reading, made)
        for stage in _stages(tuple(settings.CLABO_PIPELINE_STAGES)):
            stage(batch)
        stored += len(batch.events)
    return stored


def _process_or_set_aside(row_id: int) -> int:
    try:
        return _process([row_id])
    except (DataError, IntegrityError, msgspec.DecodeError, ValueError) as error:
        _set_aside(row_id, error)
        return 0


def _set_aside(row_id: int, error: Exception) -> None:
    log.error("inbox row %s cannot be processed and was set aside: %s", row_id, error)
    InboxBatch.objects.filter(pk=row_id).update(failed=f"{type(error).__name__}: {error}"[:2000] or "unknown")
