"""What plans add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class PlansConfig(AppConfig):
    """Names what their ads bring."""

    name = "clabo.plans"

    def ready(self) -> None:
        from clabo.events import wanted
        from clabo.plans.queries import wanted_by_plans

        wanted.sources.add("plans", wanted_by_plans)
