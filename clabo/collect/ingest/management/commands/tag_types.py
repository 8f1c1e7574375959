"""What the tag's TypeScript must know of the server's lists."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from clabo.collect.ingest.beacon import SERVERS_OWN
from clabo.core.rules import KINDS


class Command(BaseCommand):
    """manage.py tag_types --output FILE"""

    help = "Write the kinds of events that the tag may send, as a TypeScript type."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--output", required=True)

    def handle(self, *args: Any, **options: Any) -> None:
        kinds = " | ".join(f'"{kind}"' for kind in KINDS if kind not in SERVERS_OWN)
        Path(options["output"]).write_text(
            f"// Generated in the build from clabo/core/rules/occurrence.py.\nexport type Kind = {kinds};\n"
        )
