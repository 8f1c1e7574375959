"""What bridges adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class BridgesConfig(AppConfig):
    """Answers the collector's addresses for bridge links."""

    name = "clabo.collect.bridges"

    def ready(self) -> None:
        from clabo.collect.bridges.routes import BridgeRoutes
        from clabo.collect.ingest.routes import routes

        routes.add("bridges", BridgeRoutes)
