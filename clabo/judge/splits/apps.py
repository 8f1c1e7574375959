"""What splits adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class SplitsConfig(AppConfig):
    """Keeps exposures, and tells the tag which tests run."""

    name = "clabo.judge.splits"

    def ready(self) -> None:
        from clabo.collect.events.intake import wanted
        from clabo.collect.ingest.directory import tag_settings
        from clabo.collect.pipeline import hooks
        from clabo.judge.splits.hooks import expose_batch, running_tests
        from clabo.judge.splits.models import SplitTest
        from clabo.judge.splits.queries import tests_for_audiences, wanted_by_tests
        from clabo.setup.sites import deleted
        from clabo.use.audiences.evaluation.variants import sources

        hooks.after_batch.add("splits", expose_batch)
        tag_settings.add("splits", running_tests)
        sources.add("splits", tests_for_audiences)
        wanted.sources.add("splits", wanted_by_tests)
        deleted.register("test", SplitTest, purged=True)
