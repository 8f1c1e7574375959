"""What spend adds to the pipeline."""

from __future__ import annotations

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.intake.wanted import Wanted, ad
from clabo.collect.events.storage.storing import StoredBatch
from clabo.use.spend.joining import find_pages_anew, page_named, rejoin
from clabo.use.spend.models import SpendRow


def rejoin_batch(batch: StoredBatch) -> None:
    """Join the spend of days anew whose visits have changed, or that names a page which is known only now.

    Mostly there is none yet for today.
    """
    rows = SpendRow.objects.filter(site_id=batch.site_id).order_by()
    days = set(rows.filter(day__in=batch.days).values_list("day", flat=True).distinct())
    if batch.new_pages:
        unknown = rows.filter(page=None).exclude(landing="").values_list("landing", "day").distinct()
        for landing, day in unknown:
            if day not in days and page_named(batch.reading.pages, landing) in batch.new_pages:
                days.add(day)
    rejoin(batch.site_id, days)


def rejoin_all(reading: SiteReader) -> None:
    """Join all of a site's spend anew: its landing addresses may be other pages now, and its visits other days'."""
    find_pages_anew(reading.site_id)
    days = SpendRow.objects.filter(site_id=reading.site_id).values_list("day", flat=True)
    rejoin(reading.site_id, set(days.distinct()))


def wanted_by_spend(site_id: int, wanted: Wanted) -> None:
    """The ads that spend was brought in for, by what of them files name."""
    rows = SpendRow.objects.filter(site_id=site_id).order_by()
    for names in rows.values_list("source", "campaign", "ad_group", "ad").distinct():
        wanted.ads.add(ad(*names))
