"""Why a page could not be pictured."""

from __future__ import annotations

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

_WHY = {
    "no_browser": gettext_noop(
        "There is no browser to take pictures with ({more}). Install Debian’s package chromium where Clabo runs."
    ),
    "elsewhere": gettext_noop(
        "The page leads to {more}, which is none of this site’s hosts. Add it under Settings if it should be."
    ),
    "status": gettext_noop("The page answered with status {more}."),
    "too_slow": gettext_noop("The page did not come to rest in time. It is tried again in a few hours."),
    "broke_off": gettext_noop("The page could not be opened. Open it in a browser to see why."),
}


def why_no_picture(reason: str, more: str) -> str:
    """The sentence for a code of pictures.taking; nothing for none."""
    return _(_WHY[reason]).format(more=more or _("another host")) if reason else ""
