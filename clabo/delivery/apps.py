"""What delivery adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class DeliveryConfig(AppConfig):
    """Has conversions reported soon after a batch brought them."""

    name = "clabo.delivery"

    def ready(self) -> None:
        from clabo.delivery.hooks import follow
        from clabo.pipeline import hooks

        hooks.after_batch.add("delivery", follow)
