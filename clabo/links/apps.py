"""What links add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class LinksConfig(AppConfig):
    """Kept links lead to other pages once a site reads its addresses otherwise."""

    name = "clabo.links"

    def ready(self) -> None:
        from clabo.events import wanted
        from clabo.links.queries import wanted_by_links
        from clabo.links.services import reread_pages
        from clabo.pipeline import hooks

        hooks.after_rereading.add("links", reread_pages)
        wanted.sources.add("links", wanted_by_links)
