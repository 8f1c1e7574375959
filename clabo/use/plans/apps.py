"""What plans add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class PlansConfig(AppConfig):
    """Names what their ads bring."""

    name = "clabo.use.plans"

    def ready(self) -> None:
        from clabo.collect.events.intake import wanted
        from clabo.setup.sites import deleted
        from clabo.use.plans.models import AdPlan
        from clabo.use.plans.queries import wanted_by_plans

        wanted.sources.add("plans", wanted_by_plans)
        deleted.register("plan", AdPlan, purged=True)
