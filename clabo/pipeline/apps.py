"""The pipeline's app."""

from __future__ import annotations

from django.apps import AppConfig


class PipelineConfig(AppConfig):
    """Makes what is owed a chore of the worker."""

    name = "clabo.pipeline"

    def ready(self) -> None:
        from clabo.pipeline import hooks, owing

        hooks.chores.add("owed", owing.retry_owed)
