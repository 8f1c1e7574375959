"""What saved adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class SavedConfig(AppConfig):
    """Views that were deleted can be restored; their links and mails have ended."""

    name = "clabo.judge.saved"

    def ready(self) -> None:
        from clabo.judge.saved.models import SavedView
        from clabo.setup.sites import deleted

        deleted.register("view", SavedView)
