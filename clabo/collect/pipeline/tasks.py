"""Reading sites anew, by the worker."""

from __future__ import annotations

import time

from clabo.collect.events.models import Event
from clabo.collect.pipeline.rereading import reread
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site

# A site that is worked on is free again after a batch.
PAUSE_SECONDS, PATIENCE_SECONDS = 0.05, 30.0


@job("changed settings")
def reread_site(site_id: int) -> None:
    """Apply a site's waiting settings to all that was recorded. Raises TimeoutError where others never leave the site."""
    until = time.monotonic() + PATIENCE_SECONDS
    while not reread(site_id):
        if time.monotonic() > until:
            raise TimeoutError("others work on this site")
        time.sleep(PAUSE_SECONDS)


def reread_later(site_id: int) -> None:
    """Have it done, once, however often settings are changed before that begins; at once where nothing was recorded."""
    if not Event.objects.filter(site_id=site_id).exists() and reread(site_id):
        return
    reread_site.later(once=f"reread-{site_id}", lock=f"reread-{site_id}", site_id=site_id)


@job("changed settings that are left", every="* * * * *")
def rereads_left() -> None:
    """Whatever happened to a job: no setting waits for ever."""
    for site_id in Site.objects.exclude(waiting=None).values_list("pk", flat=True):
        reread_later(site_id)
