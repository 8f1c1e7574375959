"""What the index adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class PresenceConfig(AppConfig):
    """Kept after each batch; merged by the worker."""

    name = "clabo.collect.presence"

    def ready(self) -> None:
        from clabo.collect.pipeline import hooks
        from clabo.collect.presence.keeping import empty, keep_presence

        hooks.after_batch.add("presence", keep_presence)
        hooks.after_rereading.add("presence", empty)
