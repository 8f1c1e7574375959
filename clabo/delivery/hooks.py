"""What delivery adds to the pipeline."""

from __future__ import annotations

from clabo.delivery.models import OwedReport
from clabo.delivery.tasks import report_later
from clabo.events.storing import StoredBatch


def report_soon(batch: StoredBatch) -> None:
    """Have channels told of what the batch has changed among conversions."""
    if OwedReport.objects.filter(site_id=batch.site_id).exists():
        report_later(batch.site_id)
