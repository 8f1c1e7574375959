"""What conversions adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class ConversionsConfig(AppConfig):
    """Counts conversions after each batch ; the tag listens for what rules ask."""

    name = "clabo.conversions"

    def ready(self) -> None:
        from clabo.conversions.hooks import reconcile_batch, wanted_by_rules
        from clabo.conversions.listening import listening
        from clabo.events import wanted
        from clabo.ingest.directory import tag_settings
        from clabo.pipeline import hooks

        hooks.after_batch.add("conversions", reconcile_batch)
        tag_settings.add("conversions", listening)
        wanted.sources.add("conversions", wanted_by_rules)
