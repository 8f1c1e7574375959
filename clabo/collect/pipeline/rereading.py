"""A site's records read by other settings (definitions: "Settings of a site").

Everything that rests on a setting is made anew in one transaction: pages, visits, daily counts, conversions, credits,
exposures, the index and joined cost. Until it commits, everybody sees the site as it was. Hits that come in meanwhile
wait in the inbox.
"""

from __future__ import annotations

from collections.abc import Iterator

from django.db import transaction

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.models import TrafficDay, Visitor
from clabo.collect.events.storage import repaging
from clabo.collect.events.storage.storing import EVER, StoredBatch, restitch_all
from clabo.collect.pipeline import hooks
from clabo.setup.sites.locks import try_lock_site
from clabo.setup.sites.models import Site
from clabo.setup.sites.services import HOSTS

# So many people are stitched and settled at a time: what they did must fit into memory.
CHUNK = 2000
# What pages rest on, and what days do; the rest (currency, attribution window) only concerns conversions and credits.
_PAGES = frozenset({"meaningful_parameters", "keep_fragment", HOSTS})
_DAYS = frozenset({"time_zone"})


def reread(site_id: int) -> bool:
    """Put a site's waiting settings in force, where there are any; False where somebody else works on the site."""
    with transaction.atomic():
        if not try_lock_site(site_id):
            return False
        unread = Site.objects.select_for_update(no_key=True).exclude(waiting=None)
        site = unread.filter(pk=site_id).first()
        if site is None:
            return True
        waiting = site.waiting or {}
        for name, value in waiting.items():
            if name != HOSTS:
                setattr(site, name, value)
        site.waiting = None
        site.save()
        reading = SiteReader.of(Site.objects.prefetch_related("hosts", "proof_keys").get(pk=site_id))
        if waiting.keys() & _PAGES:
            repaging.repage(reading)
        if waiting.keys() & (_PAGES | _DAYS):
            # Counted up again with every visit.
            TrafficDay.objects.filter(site_id=site_id).delete()
            for some in _people(site_id):
                restitch_all(reading, some)
        for follow in hooks.after_rereading.all().values():
            follow(reading)
        for some in _people(site_id):
            batch = StoredBatch(reading, restitched=dict.fromkeys(some, EVER))
            for hook in hooks.after_batch.all().values():
                hook(batch)
    return True


def _people(site_id: int) -> Iterator[list[int]]:
    """Everybody who stands for themselves, some at a time."""
    last = 0
    while True:
        rows = Visitor.objects.filter(site_id=site_id, joined_to=None, pk__gt=last).order_by("pk")
        some = list(rows.values_list("pk", flat=True)[:CHUNK])
        if not some:
            return
        yield some
        last = some[-1]
