"""Why something that a rule catches may be caught by accident."""

from __future__ import annotations

from django.utils.translation import gettext_noop as _

from clabo.platform.wording.words import texts

texts(
    {
        "began_visit": _("{begun} of {events} began the visit, with no page or form before"),
        "often_in_a_visit": _(
            "{times:.1f} in a visit, on average: reloads, or a page that is looked at again"
        ),
    }
)
