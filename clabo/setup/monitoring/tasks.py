"""What is looked after by itself."""

from __future__ import annotations

from clabo.collect.events.intake.room import make_room
from clabo.collect.events.models import Exclusion
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.monitoring.excluding import apply_next
from clabo.setup.monitoring.tags import watch_sites
from clabo.setup.sites.models import Site


@job("tags", every="*/10 * * * *")
def tags() -> None:
    """Has the tag stopped on a page?"""
    watch_sites()


@job("exclusions")
def exclusions(site_id: int) -> None:
    """Apply to the past what was set aside or put back, slice by slice."""
    while apply_next(site_id):
        pass
    make_room(Site.objects.get(pk=site_id))


@job("room in inventories", every="17 3 * * *")
def inventories() -> None:
    """What was seen once long ago, or was set aside, makes room for others."""
    for_each(Site.objects.all(), make_room, "making room")


def apply_later(site_id: int) -> None:
    """Have what was set aside applied."""
    exclusions.later(once=f"exclusions-{site_id}", lock=f"exclusions-{site_id}", site_id=site_id)


@job("exclusions left", every="* * * * *")
def exclusions_left() -> None:
    """Whatever happened to a job: nothing stays half set aside."""
    for site_id in Exclusion.objects.filter(visits=None).values_list("site_id", flat=True).distinct():
        apply_later(site_id)
