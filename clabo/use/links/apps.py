"""What links add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class LinksConfig(AppConfig):
    """Kept links lead to other pages once a site reads its addresses otherwise."""

    name = "clabo.use.links"

    def ready(self) -> None:
        from clabo.collect.events.intake import wanted
        from clabo.collect.pipeline import hooks
        from clabo.setup.sites import deleted
        from clabo.use.links.models import AdLink
        from clabo.use.links.queries import wanted_by_links
        from clabo.use.links.services import reread_pages

        hooks.after_rereading.add("links", reread_pages)
        wanted.sources.add("links", wanted_by_links)
        deleted.register("link", AdLink, purged=True)
