"""Which atom an event and a visit are."""

from __future__ import annotations

from clabo.collect.events.models import Kind
from clabo.collect.presence.atoms import Key, Sort

# A note is about the set-up, not of what somebody did.
LEFT_OUT = frozenset({Kind.NOTE.value, Kind.LEFT.value, Kind.LOADED.value})
VISIT_COLUMNS = (
    *("id", "day", "entry_page_id", "origin_id", "device"),
    *("number", "traffic_class", "visitor__number"),
)


def event_key(kind: int, page: int, element: int | None, name: str) -> Key:
    """The atom of an event."""
    return Key(Sort.EVENT, kind, page, element, name)


def arrival(page: int | None, origin: int, device: int, number: int) -> Key:
    """The atom of a visit, its visitor's `number`th."""
    return Key(Sort.VISIT, page=page, origin=origin, device=device, first=number == 1)
