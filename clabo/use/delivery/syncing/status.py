"""What channels say of themselves, asked now and then and kept."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any
from uuid import UUID

from clabo.use.delivery.adapters.adapter import ChannelStatus, ListStatus
from clabo.use.delivery.adapters.registry import adapter_of
from clabo.use.delivery.models import AdChannel, AudienceUse
from clabo.use.delivery.syncing.trouble import noted


def ask(channel: AdChannel) -> ChannelStatus:
    """Ask the channel and keep what it says; raises Away and Declined."""
    with noted(channel):
        said = adapter_of(channel).status()
    store_status(channel, said)
    return said


def store_status(channel: AdChannel, said: ChannelStatus) -> None:
    """Keep what a channel says of itself."""
    channel.told = {
        "name": said.name,
        "simulation": said.simulation,
        "currency": said.currency,
        "plans": said.plans,
        "lists": {
            str(key): [one.members, one.known, one.ready, one.as_of.isoformat()]
            for key, one in said.lists.items()
        },
    }
    channel.told_at = datetime.now(UTC)
    channel.save(update_fields=["told", "told_at"])


def runs_plans(channel: AdChannel) -> bool:
    """Whether it runs plans that are written here, as it said last."""
    return bool((channel.told or {}).get("plans"))


def list_status(use: AudienceUse) -> ListStatus | None:
    """What the channel said last of an audience's list; None where it has said nothing yet."""
    told: dict[str, Any] = use.channel.told or {}
    found = told.get("lists", {}).get(str(UUID(str(use.key))))
    if found is None:
        return None
    members, known, ready, as_of = found
    return ListStatus(members, known, ready, datetime.fromisoformat(as_of))


def settled(channel: AdChannel) -> bool:
    """Whether every list there was worked in, when it was asked last, and holds as many as were sent."""
    return all(
        (one := list_status(use)) is not None and one.ready and one.as_of >= (use.done_at or one.as_of)
        for use in channel.uses.filter(ended_at=None)
    )
