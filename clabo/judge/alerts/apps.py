"""What alerts add to the others."""

from __future__ import annotations

from django.apps import AppConfig


class AlertsConfig(AppConfig):
    """Recipients that were deleted can be restored."""

    name = "clabo.judge.alerts"

    def ready(self) -> None:
        from clabo.judge.alerts.models import AlertRecipient
        from clabo.setup.sites import deleted

        deleted.register("alert", AlertRecipient, purged=True)
