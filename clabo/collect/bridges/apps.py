"""What bridges adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class BridgesConfig(AppConfig):
    """Answers the collector's addresses for bridge links."""

    name = "clabo.collect.bridges"

    def ready(self) -> None:
        from clabo.collect.bridges.models import BridgeLink
        from clabo.collect.bridges.routes import BridgeRoutes
        from clabo.collect.bridges.services import restore_link
        from clabo.collect.ingest.routes import routes
        from clabo.setup.sites import deleted

        routes.add("bridges", BridgeRoutes)
        deleted.register("bridge", BridgeLink, restore_link)
