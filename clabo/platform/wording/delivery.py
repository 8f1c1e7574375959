"""Why a channel did not take something. Channels may say reasons of their own: those stand as they were said."""

from __future__ import annotations

from django.utils.translation import gettext
from django.utils.translation import gettext_noop as _

_REASONS = {
    "not_answered": _("it did not say what became of it"),
    "click_unknown": _("it does not know the click"),
    "before_click": _("it happened before the click"),
    "too_old": _("it is too long ago for the channel"),
    "in_the_future": _("its time lies in the future"),
    "currency": _("the channel counts in another currency"),
    "busy": _("the channel was busy"),
}


def reason_words(reason: str) -> str:
    """A reason in words."""
    return gettext(_REASONS[reason]) if reason in _REASONS else reason
