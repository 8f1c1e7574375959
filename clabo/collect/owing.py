"""What a stage after storing could not do: kept, tried again with growing pauses, until it is done."""

from __future__ import annotations

import logging
from collections.abc import Callable, Collection, Mapping
from datetime import UTC, date, datetime, timedelta

from django.db import transaction

from clabo.collect.drafts import Reading
from clabo.collect.models import Owed
from clabo.collect.storing import StoredBatch
from clabo.sites.models import Site

log = logging.getLogger(__name__)

FIRST_PAUSE = timedelta(seconds=5)
LONGEST_PAUSE = timedelta(hours=1)


def owe(
    site_id: int, stage: str, visitors: Collection[int], days: Collection[date], error: Exception
) -> None:
    """Note that a stage is still to be done for these visitors and days."""
    Owed.objects.create(
        site_id=site_id,
        stage=stage,
        visitors=sorted(visitors),
        days=sorted(days),
        reason=_reason(error),
        next_at=datetime.now(UTC) + FIRST_PAUSE,
    )


def settle_owed(
    stages: Mapping[str, Callable[[StoredBatch], None]],
    try_lock: Callable[[int], bool],
    now: datetime | None = None,
) -> bool:
    """Try again what is due, one debt a transaction; whether there was anything."""
    now = now or datetime.now(UTC)
    due = list(Owed.objects.filter(next_at__lte=now).order_by("id").values_list("id", flat=True)[:20])
    return sum(_settle(debt, stages, try_lock, now) for debt in due) > 0


def _settle(
    debt: int,
    stages: Mapping[str, Callable[[StoredBatch], None]],
    try_lock: Callable[[int], bool],
    now: datetime,
) -> bool:
    with transaction.atomic():
        owed = Owed.objects.select_for_update(skip_locked=True).filter(pk=debt).first()
        if owed is None or not try_lock(owed.site_id):
            return False
        site = Site.objects.prefetch_related("hosts", "proof_keys").get(pk=owed.site_id)
        batch = StoredBatch(Reading.of(site), restitched=set(owed.visitors), days=set(owed.days))
        stage = stages.get(owed.stage)
        try:
            with transaction.atomic():
                if stage:
                    stage(batch)
        except Exception as error:
            log.warning("the stage %s of site %s is still owed: %s", owed.stage, owed.site_id, error)
            pause = min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** min(owed.tries, 20))
            owed.tries, owed.reason, owed.next_at = owed.tries + 1, _reason(error), now + pause
            owed.save()
        else:
            owed.delete()
    return True


def _reason(error: Exception) -> str:
    return f"{type(error).__name__}: {error}"[:2000].replace("\x00", "")
