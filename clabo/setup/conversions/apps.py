"""What conversions adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class ConversionsConfig(AppConfig):
    """Counts conversions after each batch ; the tag listens for what rules ask."""

    name = "clabo.setup.conversions"

    def ready(self) -> None:
        from clabo.collect.events.intake import wanted
        from clabo.collect.ingest.directory import tag_settings
        from clabo.collect.pipeline import hooks
        from clabo.setup.conversions.hooks import reconcile_batch, wanted_by_rules
        from clabo.setup.conversions.matching.listening import listening

        hooks.after_batch.add("conversions", reconcile_batch)
        tag_settings.add("conversions", listening)
        wanted.sources.add("conversions", wanted_by_rules)
