"""What delivery adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    """Has conversions reported soon after a batch brought them."""

    name = "clabo.use.delivery"

    def ready(self) -> None:
        from clabo.collect.pipeline import hooks
        from clabo.use.delivery.hooks import follow

        hooks.after_batch.add("delivery", follow)
