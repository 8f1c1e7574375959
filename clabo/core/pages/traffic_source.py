"""Where a visit came from (definitions: "Where a visit came from").

The lists are data (traffic_sources.json) and a site may override them.
"""

from __future__ import annotations

import json
from collections.abc import Collection
from dataclasses import dataclass
from functools import lru_cache
from importlib.resources import files
from typing import Literal, get_args

from clabo.core.pages.addresses import AddressError, Campaign, host_of

Channel = Literal["paid", "email", "affiliate", "social", "search", "referral", "direct", "other"]
CHANNELS: tuple[Channel, ...] = get_args(Channel)


@dataclass(frozen=True, slots=True)
class Lists:
    """Lower-cased media and referrer hosts by channel."""

    paid_media: frozenset[str]
    email_media: frozenset[str]
    affiliate_media: frozenset[str]
    social_media: frozenset[str]
    social_hosts: frozenset[str]
    search_hosts: frozenset[str]


@lru_cache(maxsize=1)
def standard_lists() -> Lists:
    """The lists that ship with Clabo."""
    data = json.loads((files("clabo.core.pages") / "traffic_sources.json").read_text())
    return Lists(**{name: frozenset(values) for name, values in data.items()})


@dataclass(frozen=True, slots=True)
class Origin:
    """Channel and source of a visit. `source` is the campaign's source, else the referrer's host."""

    channel: Channel
    source: str


def _on(host: str, hosts: frozenset[str]) -> bool:
    labels = host.partition(":")[0].split(".")
    return any(".".join(labels[i:]) in hosts for i in range(len(labels)))


def classify(
    campaign: Campaign, referrer: str, own_hosts: Collection[str], lists: Lists | None = None
) -> Origin:
    """The channel of a visit that began with `campaign` and `referrer`; the first that fits wins.

    A referrer on one of `own_hosts` is no referral. An unreadable referrer counts as none.
    """
    lists = lists or standard_lists()
    try:
        host = host_of(referrer) if referrer else ""
    except AddressError:
        host = ""
    if host in own_hosts:
        host = ""
    medium = campaign.medium.lower()
    source = campaign.source.lower() or host
    channel: Channel
    if medium in lists.paid_media or campaign.click_id:
        channel = "paid"
    elif medium in lists.email_media:
        channel = "email"
    elif medium in lists.affiliate_media:
        channel = "affiliate"
    elif medium in lists.social_media or _on(host, lists.social_hosts):
        channel = "social"
    elif _on(host, lists.search_hosts):
        channel = "search"
    elif host:
        channel = "referral"
    elif campaign:
        channel = "other"
    else:
        channel = "direct"
    return Origin(channel, source or ("direct" if channel == "direct" else campaign.click_kind))
