"""Taking browsers apart that an identity joined, and joining them again."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction
from django.db.models import Count

from clabo.collect.events.intake.parsing import SiteReader
from clabo.collect.events.joining import COUNTED
from clabo.collect.events.models import Identity, Statement
from clabo.collect.events.storage.storing import rejoin
from clabo.collect.pipeline import hooks
from clabo.core.trust.identities import MOST_BROWSERS
from clabo.platform.problems import missing
from clabo.setup.sites.locks import lock_site
from clabo.setup.sites.models import Site


def switch(site: Site, identity_id: int, off: bool) -> None:
    """Say whether an identity joins the browsers that stated it; all that rests on it follows. Raises Problem."""
    with transaction.atomic():
        lock_site(site.pk)
        found = (
            Identity.objects.filter(site=site, pk=identity_id)
            .annotate(n=Count("statements", filter=COUNTED))
            .first()
        )
        if found is None:
            raise missing("identity")
        if found.off == off:
            return
        found.off = off
        found.save(update_fields=["off"])
        if found.n <= MOST_BROWSERS:  # else it joins nobody either way
            stated = (
                Statement.objects.counted().filter(identity=found).values_list("visitor_id", "identity_id")
            )
            follow(site, list(stated))


def follow(site: Site, changed: Collection[tuple[int, int]]) -> None:
    """Make everything what holds now that these statements (visitor, identity) came or ceased to count.

    The caller holds the site's lock and a transaction.
    """
    reading = SiteReader.of(Site.objects.prefetch_related("hosts", "proof_keys").get(pk=site.pk))
    batch = rejoin(reading, changed)
    if batch.restitched:
        for hook in hooks.after_batch.all().values():
            hook(batch)
