"""Looks at pages that nobody waits for."""

from __future__ import annotations

from datetime import UTC, datetime

from django.conf import settings

from clabo.collect.events.models import Page
from clabo.collect.pictures.links import try_some
from clabo.collect.pictures.queries import due
from clabo.collect.pictures.services import look
from clabo.platform.jobs.each import for_each
from clabo.platform.jobs.job import job
from clabo.setup.sites.models import Site


@job("page picture")
def picture(site_id: int, page_id: int) -> None:
    """Have a look at one page."""
    page = Page.objects.filter(site_id=site_id, pk=page_id).select_related("site").first()
    if page is not None:
        look(page.site, page, datetime.now(UTC))


def have_taken(site: Site, page_id: int) -> None:
    """Have a page looked at soon. One browser runs at a time."""
    picture.later(once=f"picture {page_id}", lock="pictures", site_id=site.pk, page_id=page_id)


def _looked_at() -> list[Site]:
    return list(Site.objects.all()) if settings.CLABO_PICTURES else []


@job("links on pages", every="41 * * * *")
def links() -> None:
    """Try some of what pages link to."""
    for_each(_looked_at(), lambda site: try_some(site, datetime.now(UTC)), "trying links")


@job("page pictures", every="23 * * * *")
def pictures() -> None:
    """Whatever is to be looked at."""
    for_each(_looked_at(), _have_due_taken, "page pictures")


def _have_due_taken(site: Site) -> None:
    for page in due(site, datetime.now(UTC)):
        have_taken(site, page.pk)
