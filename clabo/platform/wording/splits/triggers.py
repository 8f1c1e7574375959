"""When a split test begins for somebody, read out, and what is wrong with saying it."""

from __future__ import annotations

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

from clabo.core.splits.trigger import Trigger
from clabo.platform.wording.words import texts


def moment_says(moment: Trigger) -> str:
    """The moment, to stand at the end of a sentence; empty for at once.

    >>> moment_says(Moment(scrolled=50, once=True))
    'once 50 % of the page has been scrolled, once a visit'
    """
    said = ""
    if moment.after:
        said = _("after {seconds} seconds on the page").format(seconds=moment.after)
    elif moment.scrolled:
        said = _("once {percent} % of the page has been scrolled").format(percent=moment.scrolled)
    elif moment.leaving:
        said = _("when somebody is about to leave")
    return said + (_(", once a visit") if moment.once else "")


texts(
    {
        "moment_no_object": gettext_noop("When it begins is an object, or empty for at once."),
        "moment_yes_or_no": gettext_noop("Say true or false."),
        "moment_one": gettext_noop(
            "Choose one: after a time, at a part of the page, or when somebody leaves."
        ),
        "moment_once": gettext_noop("What begins at once stays: choose a moment, or leave this out."),
    }
)
