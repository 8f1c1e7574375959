"""What monitoring adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class MonitoringConfig(AppConfig):
    """Watches for tags that stop, and applies what is set aside to the past."""

    name = "clabo.monitoring"

    def ready(self) -> None:
        from clabo.monitoring.excluding import apply_exclusions
        from clabo.monitoring.tags import watch_tags
        from clabo.pipeline import hooks

        hooks.chores.add("exclusions", apply_exclusions)
        hooks.chores.add("tags", watch_tags)
