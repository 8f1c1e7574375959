"""What the pipeline adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class PipelineConfig(AppConfig):
    """Reads a site anew once its settings have changed."""

    name = "clabo.collect.pipeline"

    def ready(self) -> None:
        from clabo.collect.pipeline.tasks import reread_later
        from clabo.setup.sites.hooks import settings_wait

        settings_wait.add("pipeline", reread_later)
