"""What spend adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class SpendConfig(AppConfig):
    """Joins cost anew on the days that a batch has changed."""

    name = "clabo.use.spend"

    def ready(self) -> None:
        from clabo.collect.events.intake import wanted
        from clabo.collect.pipeline import hooks
        from clabo.setup.sites import deleted
        from clabo.use.spend.hooks import rejoin_all, rejoin_batch, wanted_by_spend
        from clabo.use.spend.models import Budget

        hooks.after_batch.add("spend", rejoin_batch)
        hooks.after_rereading.add("spend", rejoin_all)
        wanted.sources.add("spend", wanted_by_spend)
        deleted.register("budget", Budget, purged=True)
