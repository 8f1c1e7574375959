"""What alerts say, and the mails that they come in."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date
from typing import Any

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop, ngettext

_SAYS = {
    "site_silent": gettext_noop("No hit comes from the site any more."),
    "page_silent": gettext_noop("No hit comes from {path} any more."),
    "conversion_silent": gettext_noop("The conversion {name} has stopped coming."),
    "hits_late": gettext_noop("Hits wait to be counted for more than five minutes."),
    "host_refused": gettext_noop("{host} sends hits, and is none of the site's hosts."),
    "test_broken": gettext_noop(
        "The split test {name} is broken: visitors do not arrive in the planned shares."
    ),
    "test_decided": gettext_noop("The split test {name} has an answer: {verdict}."),
    "channel_failing": gettext_noop("The channel {name} does not answer, or does not take what it is told."),
    "spend_over": gettext_noop("The month will end above its budget: {name}."),
    "spend_missing": gettext_noop("No spend has been brought in since {day}."),
    "perhaps_forged": gettext_noop("Something looks forged: {what}."),
}
_VERDICTS = {
    "adopt": gettext_noop("a challenger is better"),
    "keep_control": gettext_noop("no challenger is better by as much as was asked"),
    "no_difference": gettext_noop("there is no difference worth having"),
    "guard_fails": gettext_noop("a guard fails"),
}
_FORGED = {
    "values": gettext_noop("orders worth far more than any before"),
    "beyond": gettext_noop("orders beyond the limit of a day"),
    "pages": gettext_noop("many new pages"),
    "one_network": gettext_noop("many conversions from one network"),
    "visits": gettext_noop("many more visits than usual"),
    "conversions": gettext_noop("many more conversions than usual"),
}


def said(kind: str, **params: Any) -> str:
    """An alert in one sentence."""
    if "verdict" in params:
        params["verdict"] = _(_VERDICTS[params["verdict"]])
    if "what" in params:
        about = f" ({params['name']})" if params.get("name") else ""
        params["what"] = _(_FORGED[params["what"]]) + about
    if isinstance(params.get("day"), date):
        params["day"] = f"{params['day']:%-d %b}"
    return _(_SAYS[kind]).format(**params)


def subject(site: str, says: Sequence[str]) -> str:
    """A mail's subject."""
    if not says:
        text = _("a trial of alerts")
    elif len(says) == 1:
        text = says[0].rstrip(".")
    else:
        text = ngettext("{n} alert", "{n} alerts", len(says)).format(n=len(says))
    # No header holds more than one line.
    return " ".join(f"{site}: {text}".split())[:200]


def letter(lines: Sequence[tuple[str, str]], to: str, by: str, settings: str) -> str:
    """A mail's text: each alert with where it is seen."""
    body = "\n\n".join(f"{says}\n{link}" for says, link in lines) or _("This is a trial. Nothing is wrong.")
    why = _("This goes to {to} because {by} asked for it. Change or end it: {settings}").format(
        to=to, by=by or _("a member"), settings=settings
    )
    return f"{body}\n\n{why}\n"
