"""The five calls by which Clabo speaks with a place ads run, whatever its own interface looks like (docs/channels.md).

Another kind of channel is a module with a class that has these five, and its place in registry.py.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import NamedTuple, Protocol
from uuid import UUID

from clabo.use.delivery.models import Report


class Member(NamedTuple):
    """A hashed identity; `kind` is a place in core.identities.KINDS."""

    kind: int
    hash: bytes


@dataclass(frozen=True, slots=True)
class Refusal:
    """An item that the channel did not take; `again`: it may be sent again."""

    reason: str
    again: bool


@dataclass(frozen=True, slots=True)
class ListStatus:
    """A list as the channel has it: how many are on it, how many of those it knows, and whether it has worked in all of them."""

    members: int
    known: int
    ready: bool
    as_of: datetime


@dataclass(frozen=True, slots=True)
class ChannelStatus:
    """What a channel says of itself; `plans`: it runs plans that are written here."""

    name: str
    simulation: bool
    source: str
    click_parameter: str
    currency: str
    lists: dict[UUID, ListStatus]
    plans: bool = False


@dataclass(frozen=True, slots=True)
class SpendOfDay:
    """An ad on one day, with the channel's own count of what came of it, of those who clicked and of those who only saw it."""

    day: date
    campaign: str
    ad_group: str
    ad: str
    landing: str
    impressions: int
    clicks: int
    cost: Decimal
    conversions: Decimal | None
    value: Decimal | None
    view_conversions: Decimal | None = None


class Adapter(Protocol):
    """All of them raise Away or Declined (calling.py)."""

    def put_members(
        self, list_key: UUID, name: str, add: Sequence[Member], remove: Sequence[Member], call_key: UUID
    ) -> dict[Member, Refusal]:
        """Put people on a list and take others off; who was refused. Made again with the same key, nothing is done twice."""

    def report(self, reports: Sequence[Report]) -> list[Refusal | None]:
        """Say how conversions stand; for each, in their order, None where it was taken. A later revision replaces an earlier one."""

    def spend(self, first: date, last: date) -> tuple[str, list[SpendOfDay]]:
        """The currency, and what was spent from day to day, the last included."""

    def status(self) -> ChannelStatus:
        """What it says of itself and its lists."""

    def remove_list(self, list_key: UUID) -> None:
        """Take a list away with all who are on it; none is no error."""
