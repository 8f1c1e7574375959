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
        from clabo.setup.conversions.models import ConversionRule
        from clabo.setup.conversions.services import restore_rule
        from clabo.setup.sites import deleted

        hooks.after_batch.add("conversions", reconcile_batch)
        tag_settings.add("conversions", listening)
        wanted.sources.add("conversions", wanted_by_rules)
        deleted.register("conversion", ConversionRule, restore_rule)
