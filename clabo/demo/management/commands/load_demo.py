"""Loads the demo into an empty database."""

from __future__ import annotations

import sys
from typing import Any

from django.core.management.base import BaseCommand

from clabo.demo import loading, scenario
from clabo.judge.alerts.causes import KINDS
from clabo.judge.alerts.services import save_recipient
from clabo.platform.accounts.models import User


class Command(BaseCommand):
    """Loads Brackenhive, unless there is anybody in the database already."""

    help = "Load the demo into an empty database."

    def handle(self, *args: Any, **options: Any) -> None:
        if User.objects.exists():
            self.stdout.write("There is data already; the demo was not loaded.")
            return
        site = loading.load(self._draw, pictures=True)
        _, email, _ = scenario.PEOPLE[0]
        save_recipient(site, "mail", email, "at_once", KINDS, User.objects.get(email=email))
        self.stdout.write(f"\n{scenario.VISITS:,} visits over {scenario.DAYS} days are in.")

    def _draw(self, share: float, what: str) -> None:
        if sys.stdout.isatty():
            filled = round(share * 30)
            self.stdout.write(
                f"\r  [{'#' * filled}{'.' * (30 - filled)}] {share:4.0%}  {what:<32}", ending=""
            )
        elif round(share * 90) % 15 == 0:
            self.stdout.write(f"  {share:4.0%}  {what}")
        self.stdout.flush()
