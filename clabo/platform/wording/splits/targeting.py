"""Who may be in a split test, read out, and what is wrong with saying it."""

from __future__ import annotations

from django.utils.translation import gettext as _
from django.utils.translation import gettext_noop

from clabo.core.splits.targeting import Device, Entrants, Visits, Way
from clabo.platform.wording.words import listed, texts, words_for

DEVICES: dict[Device, str] = {
    "phone": gettext_noop("phones"),
    "tablet": gettext_noop("tablets"),
    "desktop": gettext_noop("desktops"),
}
VISITS: dict[Visits, str] = {
    "new": gettext_noop("on their first visit"),
    "returning": gettext_noop("who have been there before"),
}


def entrants_say(entrants: Entrants, audience: str = "") -> str:
    """Who may be in it, to stand after "visitors"; empty for everybody. `audience`: the name of the one that it is for.

    >>> entrants_say(Entrants(devices=("phone",), visits="new", came=(Way(source="meadow"),)))
    'on phones, on their first visit, who came from meadow'
    """
    parts = []
    if entrants.devices:
        parts.append(_("on {devices}").format(devices=listed([_(DEVICES[d]) for d in entrants.devices])))
    if entrants.visits:
        parts.append(_(VISITS[entrants.visits]))
    if entrants.came:
        ways = _(", or ").join(_way(way) for way in entrants.came)
        parts.append(_("who came {ways}").format(ways=ways))
    if entrants.audience:
        parts.append(_("who are in {audience}").format(audience=audience or _("an audience that is gone")))
    return ", ".join(parts)


def _way(way: Way) -> str:
    said = [
        _("from {source}").format(source=way.source) if way.source else "",
        _("by {medium}").format(medium=way.medium) if way.medium else "",
        _("with {campaign}").format(campaign=way.campaign) if way.campaign else "",
        _("over a link on {referrer}").format(referrer=way.referrer) if way.referrer else "",
    ]
    return " ".join(part for part in said if part)


@words_for("entrants_way")
def _one_way(known: list[str]) -> str:
    return _("Say at least one of {known}.").format(known=listed(known))


texts(
    {
        "entrants_no_object": gettext_noop(
            "Who is in it is an object with devices, visits, came and audience, or empty."
        ),
        "entrants_ways": gettext_noop("Give a list of at most {most} ways of coming."),
        "entrants_host": gettext_noop("Give a host such as partner.example, without https:// and path."),
    }
)
