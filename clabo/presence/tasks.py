"""Merging, by the worker."""

from __future__ import annotations

from clabo.jobs.job import job
from clabo.presence.merging import merge, sites_with_pieces


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
