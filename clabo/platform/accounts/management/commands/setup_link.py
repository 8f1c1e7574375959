"""Prints where the first account is made."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from clabo.platform.accounts.models import User
from clabo.platform.accounts.services import setup_token


class Command(BaseCommand):
    """For ./start, when nobody has an account yet."""

    help = "Print the address at which the first account is made."

    def handle(self, *args: Any, **options: Any) -> None:
        if not User.objects.exists():
            self.stdout.write(f"  Make the first account: {settings.PUBLIC_URL}/setup?token={setup_token()}")
