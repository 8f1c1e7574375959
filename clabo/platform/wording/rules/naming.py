"""Doubts about a conversion's name."""

from __future__ import annotations

from django.utils.translation import gettext_noop as _

from clabo.platform.wording.words import texts

texts(
    {
        "name_vague": _("Which one? Name what was sent, ordered or reached, for example workshop_booking."),
        "name_alike": _("Nearly the same as {other}. Say in the name how they differ."),
    }
)
