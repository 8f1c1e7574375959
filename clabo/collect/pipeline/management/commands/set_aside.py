"""Requests that could not be stored: looked at, put back into the inbox, or dropped."""

from __future__ import annotations

from typing import Any

from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction

from clabo.collect.ingest.beacon import unpack
from clabo.collect.ingest.inbox import store
from clabo.collect.pipeline.models import SetAside


class Command(BaseCommand):
    """manage.py set_aside [list|requeue|drop] [--site ID] [--id ID ...]"""

    help = "List, re-queue or drop requests that could not be stored."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("what", nargs="?", choices=("list", "requeue", "drop"), default="list")
        parser.add_argument("--site", type=int, help="those of one site")
        parser.add_argument("--id", type=int, nargs="+", help="these only")

    def handle(self, *args: Any, **options: Any) -> None:
        rows = SetAside.objects.order_by("id")
        if options["site"] is not None:
            rows = rows.filter(site_id=options["site"])
        if options["id"]:
            rows = rows.filter(pk__in=options["id"])
        if options["what"] == "list":
            for row in rows:
                self.stdout.write(
                    f"{row.pk}  site {row.site_id}  received {row.received_at:%Y-%m-%d %H:%M:%S}  "
                    f"{len(row.payload)} bytes  {row.reason}"
                )
            self.stdout.write(f"{rows.count()} set aside.")
            return
        with transaction.atomic():
            chosen = list(rows.select_for_update())
            if options["what"] == "requeue":
                for row in chosen:
                    payload = bytes(row.payload)
                    try:
                        envelopes = unpack(payload)
                    except ValueError:
                        self.stderr.write(f"{row.pk} is damaged and stays set aside.")
                        continue
                    store(envelopes)
                    row.delete()
                self.stdout.write(f"{len(chosen)} looked at; what was put back is processed by the worker.")
            else:
                rows.delete()
                self.stdout.write(f"{len(chosen)} dropped.")
