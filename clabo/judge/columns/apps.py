"""What columns adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class ColumnsConfig(AppConfig):
    """Own columns that were deleted can be restored."""

    name = "clabo.judge.columns"

    def ready(self) -> None:
        from clabo.judge.columns.models import OwnColumn
        from clabo.setup.sites import deleted

        deleted.register("column", OwnColumn, purged=True)
