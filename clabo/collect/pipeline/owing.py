"""What a hook after storing could not do: kept, tried again with growing pauses, until it is done."""

from __future__ import annotations

import logging
from collections.abc import Collection
from datetime import UTC, date, datetime, timedelta

from django.db import transaction

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.storage.storing import EVER, StoredBatch
from clabo.collect.pipeline import hooks
from clabo.collect.pipeline.models import Owed
from clabo.setup.sites.locks import try_lock_site
from clabo.setup.sites.models import Site

log = logging.getLogger(__name__)

FIRST_PAUSE = timedelta(seconds=5)
LONGEST_PAUSE = timedelta(hours=1)


def owe(site_id: int, hook: str, visitors: Collection[int], days: Collection[date], error: Exception) -> None:
    """Note that a hook is still to be done for these visitors and days."""
    Owed.objects.create(
        site_id=site_id,
        hook=hook,
        visitors=sorted(visitors),
        days=sorted(days),
        reason=_reason(error),
        next_at=datetime.now(UTC) + FIRST_PAUSE,
    )


def retry_owed(now: datetime | None = None) -> bool:
    """Try again what is due, one debt a transaction; whether there was anything."""
    now = now or datetime.now(UTC)
    due = list(Owed.objects.filter(next_at__lte=now).order_by("id").values_list("id", flat=True)[:20])
    return sum(_retry(debt, now) for debt in due) > 0


def _retry(debt: int, now: datetime) -> bool:
    with transaction.atomic():
        owed = Owed.objects.select_for_update(skip_locked=True).filter(pk=debt).first()
        if owed is None or not try_lock_site(owed.site_id):
            return False
        site = Site.objects.prefetch_related("hosts", "proof_keys").get(pk=owed.site_id)
        batch = StoredBatch(
            SiteReader.of(site), restitched=dict.fromkeys(owed.visitors, EVER), days=set(owed.days)
        )
        hook = hooks.after_batch.all().get(owed.hook)
        try:
            with transaction.atomic():
                if hook:
                    hook(batch)
        except Exception as error:
            log.warning("the hook %s of site %s is still owed: %s", owed.hook, owed.site_id, error)
            pause = min(LONGEST_PAUSE, FIRST_PAUSE * 2 ** min(owed.tries, 20))
            owed.tries, owed.reason, owed.next_at = owed.tries + 1, _reason(error), now + pause
            owed.save()
        else:
            owed.delete()
    return True


def _reason(error: Exception) -> str:
    return f"{type(error).__name__}: {error}"[:2000].replace("\x00", "")
