"""What audiences adds to the others."""

from __future__ import annotations

from django.apps import AppConfig


class AudiencesConfig(AppConfig):
    """Audiences that were deleted can be restored."""

    name = "clabo.use.audiences"

    def ready(self) -> None:
        from clabo.setup.sites import deleted
        from clabo.use.audiences.models import Audience
        from clabo.use.audiences.services import restore_audience

        deleted.register("audience", Audience, restore_audience)
