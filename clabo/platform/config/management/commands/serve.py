"""The server process."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from clabo.platform.config import server


class Command(BaseCommand):
    """manage.py serve [--host ADDRESS] [--port NUMBER] [--share-port] [--application MODULE:NAME]"""

    help = "Serve the interface, the API and the collector until stopped."
    # What an app has registered wrongly must not be served.
    requires_system_checks = "__all__"

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument(
            "--share-port",
            action="store_true",
            help="Other servers listen on the same port; the system deals them connections.",
        )
        parser.add_argument("--application", default="clabo.platform.config.asgi:application")

    def handle(self, *args: Any, **options: Any) -> None:
        server.run(options["application"], options["host"], options["port"], options["share_port"])
