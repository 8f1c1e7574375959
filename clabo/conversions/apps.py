"""What conversions adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class ConversionsConfig(AppConfig):
    """Counts conversions after each batch ; the tag listens for what rules ask."""

    name = "clabo.conversions"

    def ready(self) -> None:
        from clabo.conversions.hooks import reconcile_batch
        from clabo.conversions.listening import listening
        from clabo.ingest.directory import tag_settings
        from clabo.pipeline import hooks

        hooks.after_batch.add("conversions", reconcile_batch)
        tag_settings.add("conversions", listening)
