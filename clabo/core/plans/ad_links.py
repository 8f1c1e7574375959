"""Links of ads: built by a workspace's naming rules, and looked at for what would not join later."""

from __future__ import annotations

import re
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from typing import Literal, get_args
from urllib.parse import parse_qsl, urlencode, urlsplit, urlunsplit

from clabo.core.message import Message, message
from clabo.core.pages.addresses import AddressError, campaign_of, host_of, normalise
from clabo.core.pages.traffic_source import Lists, classify

Field = Literal["source", "medium", "campaign", "ad_group", "ad"]
FIELDS: tuple[Field, ...] = get_args(Field)
PARAMETERS: dict[Field, str] = {
    "source": "utm_source",
    "medium": "utm_medium",
    "campaign": "utm_campaign",
    "ad_group": "utm_term",
    "ad": "utm_content",
}
SUB_IDS = ("sub1", "sub2", "sub3", "sub4", "sub5")
Space = Literal["-", "_", " "]
SPACES: tuple[Space, ...] = get_args(Space)
MOST_TEXT = 200
MOST_ADDRESS = 2000
_CLICK = re.compile(r"[a-z0-9_]{0,36}clid", re.IGNORECASE)


class LinkError(ValueError):
    """A link that cannot be built: which field, and why."""

    def __init__(self, field: str, why: Message) -> None:
        super().__init__(why.code)
        self.field, self.told = field, why


@dataclass(frozen=True, slots=True)
class Naming:
    """How names in links are written: in small letters or as given, what stands for a space, and which must be there."""

    lower: bool = True
    space: Space = "-"
    required: frozenset[Field] = frozenset({"source", "medium", "campaign"})


def tidy(text: str, naming: Naming) -> str:
    """A name as the rules have it written.

    Examples
    --------
    >>> tidy("  Bees  in May ", Naming()), tidy("Bees in  May", Naming(lower=False, space=" "))
    ('bees-in-may', 'Bees in May')
    """
    plain = naming.space.join(text.replace("\x00", "").split())
    return plain.lower() if naming.lower else plain


@dataclass(frozen=True, slots=True)
class Parts:
    """What a link is made of: where it leads, what it says of the ad, and sub-IDs."""

    destination: str
    names: Mapping[Field, str] = field(default_factory=dict)
    sub_ids: Mapping[str, str] = field(default_factory=dict)


def build(parts: Parts, naming: Naming, sub_names: Collection[str] = ()) -> str:
    """The link's address; what it says of itself there is read back as it was given (`core.addresses.campaign_of`).

    Parameters
    ----------
    parts : Parts
        What the destination already says of an ad is replaced; a click id in it is left out, for it is somebody's.
    naming : Naming
        The rules.
    sub_names : collection of str
        Parameters that stand for sub-IDs on this site, besides sub1 to sub5.

    Returns
    -------
    str
        The whole address, fragment last.

    Raises
    ------
    LinkError
        The destination is no address, a name that must be there is not, one is too long, or a sub-ID is none.

    Examples
    --------
    >>> build(Parts("https://shop.example/kit?colour=oak#buy", {"source": "Meadow", "medium": "cpc", "campaign": "May bees"}), Naming())
    'https://shop.example/kit?colour=oak&utm_source=meadow&utm_medium=cpc&utm_campaign=may-bees#buy'
    """
    destination = parts.destination.strip().replace("\x00", "")
    try:
        split = urlsplit(destination)
        host_of(destination)
        normalise(destination)
    except (AddressError, ValueError):
        raise LinkError("destination", message("no_destination")) from None
    if split.scheme not in ("http", "https") or split.username is not None:
        raise LinkError("destination", message("no_destination"))
    said: dict[str, str] = {}
    for name in FIELDS:
        text = tidy(parts.names.get(name, ""), naming)
        if len(text) > MOST_TEXT:
            raise LinkError(name, message("name_too_long", most=MOST_TEXT))
        if not text and name in naming.required:
            raise LinkError(name, message("name_required"))
        if text:
            said[PARAMETERS[name]] = text
    for sub, value in parts.sub_ids.items():
        text = " ".join(value.replace("\x00", "").split())
        if sub not in SUB_IDS and sub not in sub_names:
            raise LinkError("sub_ids", message("no_sub_id", name=sub[:40]))
        if len(text) > MOST_TEXT:
            raise LinkError("sub_ids", message("name_too_long", most=MOST_TEXT))
        if text:
            said[sub] = text
    ours = {*PARAMETERS.values(), *said}
    kept = [
        (name, value)
        for name, value in parse_qsl(split.query, keep_blank_values=True)
        if name.lower() not in ours and not _CLICK.fullmatch(name)
    ]
    address = urlunsplit(split._replace(query=urlencode([*kept, *said.items()])))
    if len(address) > MOST_ADDRESS:
        raise LinkError("destination", message("link_too_long", most=MOST_ADDRESS))
    return address


PageState = Literal["fine", "unseen", "stopped"]


@dataclass(frozen=True, slots=True)
class Known:
    """What a link is held against: the site's hosts, how its page stands, and how sources and names are spelt so far.

    `names` are those of visits and spend of the link's source, by field.
    """

    hosts: Collection[str]
    page: PageState
    sources: Collection[str]
    names: Mapping[Field, Collection[str]]
    lists: Lists | None = None


def doubts(address: str, known: Known) -> list[Message]:
    """What about a built link will not join later, the gravest first; empty where nothing is.

    Raises
    ------
    ValueError
        `address` is none.

    Examples
    --------
    >>> known = Known({"shop.example"}, "fine", {"meadow"}, {"campaign": {"May bees"}})
    >>> [d.code for d in doubts("https://shop.example/?utm_source=meadow&utm_medium=cpc&utm_campaign=may-bees", known)]
    ['spelt_otherwise']
    """
    split = urlsplit(address)
    found: list[Message] = []
    try:
        host = host_of(address)
    except AddressError as error:
        raise ValueError("not an address") from error
    if host not in known.hosts:
        found.append(message("host_not_ours", host=host))
    elif known.page == "unseen":
        found.append(message("page_unseen"))
    elif known.page == "stopped":
        found.append(message("page_stopped"))
    if "?" in split.fragment or "utm_" in split.fragment:
        found.append(message("said_after_fragment"))
    if split.scheme != "https":
        found.append(message("not_https"))
    campaign = campaign_of(address)
    channel = classify(campaign, "", (), known.lists).channel
    if channel != "paid":
        found.append(message("not_paid", medium=campaign.medium, channel=channel))
    near = _near(campaign.source, known.sources)
    if near:
        found.append(message("spelt_otherwise", name=campaign.source, other=near))
    elif campaign.source and campaign.source.lower() not in {s.lower() for s in known.sources}:
        found.append(message("source_unseen", source=campaign.source))
    for name, text in (("campaign", campaign.name), ("ad_group", campaign.ad_group), ("ad", campaign.ad)):
        if near := _near(text, known.names.get(name, ())):  # type: ignore[call-overload]
            found.append(message("spelt_otherwise", name=text, other=near))
    said = (campaign.name, campaign.ad_group, campaign.ad, campaign.source, *campaign.sub_ids.values())
    return found + [message("looks_personal", name=text) for text in said if "@" in text]


def _squeezed(text: str) -> str:
    return "".join(c for c in text.casefold() if c.isalnum())


def _near(text: str, others: Collection[str]) -> str:
    """One of `others` that is the same but for letters' case and what is no letter or digit; empty where there is none.

    Spend and visits are joined by names as they are spelt.
    """
    if not text or text in others:
        return ""
    same = [o for o in others if o and _squeezed(o) == _squeezed(text) and _squeezed(text)]
    return min(same, default="")
