"""Prints the address of the demo site's tag."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from clabo.demo import scenario
from clabo.setup.sites.models import Site


class Command(BaseCommand):
    """For ./start, which serves the demo's pages only when the demo is loaded."""

    help = "Print the address of the demo site's tag, or nothing."

    def handle(self, *args: Any, **options: Any) -> None:
        site = Site.objects.filter(hosts__host=scenario.HOST).first()
        if site:
            self.stdout.write(f"{settings.PUBLIC_URL}/tag/{site.key}.js")
