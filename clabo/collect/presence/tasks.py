"""Merging and packing, by the worker."""

from __future__ import annotations

from clabo.collect.presence.merging import merge, sites_with_pieces
from clabo.collect.presence.trails import closed_and_unpacked, pack
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job


@job("merging what people did")
def merge_site(site_id: int) -> None:
    """Put the site's pieces into its days."""
    while merge(site_id):
        pass


def merge_later(site_id: int) -> None:
    """Have it done soon."""
    merge_site.later(once=f"presence-{site_id}", lock=f"presence-{site_id}", site_id=site_id)


@job("merging what is left", every="* * * * *")
def merge_left() -> None:
    """Whatever a busy minute has not brought about."""
    for site_id in sites_with_pieces():
        merge_later(site_id)


@job("packing days that are over", every="* * * * *")
def pack_days() -> None:
    """Every day that is over and has changed since it was packed; what is busy waits for the next minute."""
    for_each(closed_and_unpacked(), lambda found: pack(*found), "packing a day")
