"""Taking browsers apart that an identity joined, and joining them again."""

from __future__ import annotations

from collections.abc import Collection

from django.db import transaction
from django.db.models import Count

from clabo.core.identities import MOST_BROWSERS
from clabo.events.joining import COUNTED
from clabo.events.models import Identity, Statement
from clabo.events.parsing import SiteReader
from clabo.events.storing import rejoin
from clabo.pipeline import hooks
from clabo.problems import missing
from clabo.sites.locks import lock_site
from clabo.sites.models import Site


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
