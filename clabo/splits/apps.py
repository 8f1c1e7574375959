"""What splits adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class SplitsConfig(AppConfig):
    """Keeps exposures, and tells the tag which tests run."""

    name = "clabo.splits"

    def ready(self) -> None:
        from clabo.audiences.variants import sources
        from clabo.events import wanted
        from clabo.ingest.directory import tag_settings
        from clabo.pipeline import hooks
        from clabo.splits.hooks import expose_batch, running_tests
        from clabo.splits.queries import tests_for_audiences, wanted_by_tests

        hooks.after_batch.add("splits", expose_batch)
        tag_settings.add("splits", running_tests)
        sources.add("splits", tests_for_audiences)
        wanted.sources.add("splits", wanted_by_tests)
