"""What delivery adds to the pipeline."""

from __future__ import annotations

from clabo.collect.events.models import Visitor
from clabo.collect.events.storage.storing import StoredBatch
from clabo.use.delivery.models import OwedReport, Withdrawal
from clabo.use.delivery.tasks import deliver_site, report_later


def follow(batch: StoredBatch) -> None:
    """Have channels told of what the batch has changed among conversions, and those taken out there who took back their consent."""
    latest = dict(sorted(batch.refused, key=lambda r: r[1]))
    for visitor in Visitor.objects.filter(site=batch.site_id, key__in=latest):
        at = latest[visitor.key]
        kept, made = Withdrawal.objects.get_or_create(visitor=visitor, defaults={"at": at})
        if not made and kept.at < at:
            kept.at = at
            kept.save()
    if latest:
        deliver_site(batch.site_id)
    if OwedReport.objects.filter(site_id=batch.site_id).exists():
        report_later(batch.site_id)
