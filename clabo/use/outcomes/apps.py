"""What outcomes add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class OutcomesConfig(AppConfig):
    """What became of leads and orders, from files and calls."""

    name = "clabo.use.outcomes"
