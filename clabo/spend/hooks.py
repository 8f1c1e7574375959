"""What spend adds to the pipeline."""

from __future__ import annotations

from clabo.events.storing import StoredBatch
from clabo.spend.joining import rejoin
from clabo.spend.models import SpendRow


def rejoin_batch(batch: StoredBatch) -> None:
    """Join the spend of days anew whose visits have changed; mostly there is none yet for today."""
    days = SpendRow.objects.filter(site_id=batch.site_id, day__in=batch.days).values_list("day", flat=True)
    rejoin(batch.site_id, set(days.distinct()))
