"""What paths adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class PathsConfig(AppConfig):
    """Paths that were deleted can be restored."""

    name = "clabo.judge.paths"

    def ready(self) -> None:
        from clabo.judge.paths.models import Path
        from clabo.setup.sites import deleted

        deleted.register("path", Path)
