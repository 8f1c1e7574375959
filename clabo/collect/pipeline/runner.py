"""The worker's loop: from the inbox to stored events, conversions and exposures, one transaction a site.

A batch and its cursor commit together: the inbox rows are deleted in the transaction that stores
what they held. Killed at any point, the worker neither loses nor repeats anything. A site that
somebody else works on is passed over and does not hold up the others. A request that cannot be
stored is set aside alone; what a later stage cannot do is owed, and tried again.
"""

from __future__ import annotations

import gc
import logging
import time
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime

import msgspec
import psycopg
from django.db import InterfaceError, OperationalError, transaction
from django.db.models import F, Func, IntegerField, Min

from clabo.collect.events.intake.parsing import ParsedEvent, SiteReader, parse
from clabo.collect.events.storage.storing import store
from clabo.collect.ingest.beacon import Envelope, pack, unpack
from clabo.collect.ingest.models import InboxBatch
from clabo.collect.pipeline import hooks, owing
from clabo.collect.pipeline.models import SetAside
from clabo.setup.sites.locks import try_lock_site
from clabo.setup.sites.models import Site

log = logging.getLogger(__name__)

BATCH_REQUESTS = 10_000
# A batch of one site takes no longer than this where that can be helped: the others' hits wait for it.
BUDGET_SECONDS = 2.0
# Of a site of which nothing is known yet a batch has so many bytes, and no batch has more than the second.
FIRST_BYTES, MOST_BYTES = 400_000, 8_000_000
# A site whose requests cost more than this each rests as long as they took: it has half of the time at most.
SLOW_SECONDS = 0.1
LONGEST_REST = 10.0


def run_once(most_requests: int = BATCH_REQUESTS) -> int:
    """Process one batch of every site that has something waiting, in the order of how long it has waited.

    The number of events stored, or -1 when nothing waited that could be worked on.
    """
    stored, worked = 0, False
    waiting = InboxBatch.objects.values("site_id").annotate(first=Min("id")).order_by("first")
    for site_id in list(waiting.values_list("site_id", flat=True)):
        if _paces.rests(site_id):
            continue
        count = run_site(site_id, most_requests)
        if count >= 0:
            stored, worked = stored + count, True
    return stored if worked else -1


class Paces:
    """How much of a site's waiting bytes fits into a batch's time, as the last batches took."""

    def __init__(self) -> None:
        self._most: dict[int, int] = {}
        self._until: dict[int, float] = {}

    def rests(self, site_id: int) -> bool:
        """Whether others go first, since what this site sent last was slow."""
        if self._until.get(site_id, 0.0) > time.monotonic():
            return True
        self._until.pop(site_id, None)
        return False

    def most(self, site_id: int) -> int:
        """So many bytes of a site's are taken next."""
        return self._most.get(site_id, FIRST_BYTES)

    def took(self, site_id: int, size: int, requests: int, seconds: float) -> None:
        """A batch took so long: the next is as large as fits, and twice as large where one was full and quick.

        A site that has nothing left begins anew: what comes next may be of another kind.

        >>> paces = Paces()
        >>> paces.took(1, 400_000, 800, 16.0)
        >>> paces.most(1), paces.most(2)
        (50000, 400000)
        """
        if seconds > SLOW_SECONDS * max(requests, 5):
            self._until[site_id] = time.monotonic() + min(seconds, LONGEST_REST)
        most = self.most(site_id)
        if seconds > BUDGET_SECONDS:
            self._most[site_id] = max(1, int(size * BUDGET_SECONDS / seconds))
        elif size < most / 2 and most > FIRST_BYTES:
            self._most.pop(site_id, None)
        elif size >= most / 2 and seconds < BUDGET_SECONDS / 2:
            self._most[site_id] = min(2 * most, MOST_BYTES)


_paces = Paces()


def drain() -> int:
    """Process until nothing waits, also for who else works on it; the number of events stored."""
    stored = 0
    while True:
        count = run_once()
        if count >= 0:
            stored += count
        elif InboxBatch.objects.exists():
            time.sleep(0.05)
        else:
            break
    owing.retry_owed()
    return stored


def run_site(site_id: int, most_requests: int = BATCH_REQUESTS) -> int:
    """Process one batch of a site; events stored, or -1 where somebody else works on it."""
    began = time.monotonic()
    with _without_collecting(), transaction.atomic():
        if not try_lock_site(site_id):
            return -1
        rows = _waiting(site_id, most_requests, _paces.most(site_id))
        site = Site.objects.prefetch_related("hosts", "proof_keys").filter(pk=site_id).first()
        stored = 0
        if site is not None:  # else removed since
            stored = _process(SiteReader.of(site), [e for row in rows for e in _unpacked(row)])
        InboxBatch.objects.filter(id__in=[row.pk for row in rows]).delete()
    size, requests = sum(len(row.payload) for row in rows), sum(row.requests for row in rows)
    _paces.took(site_id, size, requests, time.monotonic() - began)
    return stored


def _waiting(site_id: int, most_requests: int, most_bytes: int) -> list[InboxBatch]:
    """The rows that waited longest: one at least, and no more than fit."""
    rows = InboxBatch.objects.filter(site_id=site_id).order_by("id")
    sized = rows.annotate(size=Func(F("payload"), function="octet_length", output_field=IntegerField()))
    ids: list[int] = []
    requests = size = 0
    for row_id, count, bytes_ in sized.values_list("id", "requests", "size")[:500]:
        if ids and (requests + count > most_requests or size + bytes_ > most_bytes):
            break
        ids.append(row_id)
        requests, size = requests + count, size + bytes_
    return list(InboxBatch.objects.filter(id__in=ids).order_by("id"))


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


def _unpacked(row: InboxBatch) -> list[Envelope]:
    payload = bytes(row.payload)
    try:
        return unpack(payload)
    except (msgspec.MsgspecError, ValueError) as error:
        _set_aside(row.site_id, payload, row.received_at, error)
        return []


def _process(reading: SiteReader, envelopes: Sequence[Envelope]) -> int:
    """Store what can be stored. A failing part is halved until the culprit is alone, and that is set aside."""
    if not envelopes:
        return 0
    try:
        with transaction.atomic():
            made: list[ParsedEvent] = []
            for envelope in envelopes:
                made += parse(envelope, reading)
            batch = store(reading, made)
    except Exception as error:
        if is_away(error):
            raise
        if len(envelopes) == 1:
            received = datetime.fromtimestamp(envelopes[0].received_ms / 1000, reading.zone)
            _set_aside(reading.site_id, pack(list(envelopes)), received, error)
            return 0
        half = len(envelopes) // 2
        return _process(reading, envelopes[:half]) + _process(reading, envelopes[half:])
    for name, hook in hooks.after_batch.all().items():
        try:
            with transaction.atomic():
                hook(batch)
        except Exception as error:
            if is_away(error):
                raise
            log.exception("the hook %s failed for site %s and is owed", name, reading.site_id)
            owing.owe(reading.site_id, name, batch.visitors(), batch.days, error)
    return len(batch.events)


def is_away(error: Exception) -> bool:
    """Whether the database is gone, or stopped this for a reason that lies outside the data: try all of it again."""
    if isinstance(error, InterfaceError | psycopg.InterfaceError):
        return True
    cause = error.__cause__ if isinstance(error.__cause__, psycopg.Error) else error
    if not isinstance(error, OperationalError | psycopg.OperationalError):
        return False
    state = getattr(cause, "sqlstate", None)
    # Connection gone, rolled back for others' sake, no resources, stopped by an operator.
    return state is None or state[:2] in ("08", "40", "53", "55", "57")


def _set_aside(site_id: int, payload: bytes, received: datetime, error: Exception) -> None:
    log.error("a request of site %s cannot be stored and was set aside: %s", site_id, error)
    reason = f"{type(error).__name__}: {error}"[:2000].replace("\x00", "")
    SetAside.objects.create(site_id=site_id, payload=payload, received_at=received, reason=reason)
