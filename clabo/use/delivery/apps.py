"""What delivery adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    """Has conversions reported soon after a batch brought them."""

    name = "clabo.use.delivery"

    def ready(self) -> None:
        from clabo.collect.pipeline import hooks
        from clabo.setup.sites import deleted
        from clabo.use.delivery.hooks import follow
        from clabo.use.delivery.models import AdChannel

        hooks.after_batch.add("delivery", follow)
        deleted.register("channel", AdChannel)
