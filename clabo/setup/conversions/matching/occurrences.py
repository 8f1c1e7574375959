"""Stored events as `clabo.core.rules` sees them."""

from __future__ import annotations

from clabo.collect.events.models import KIND_NAMES, Element, Event, Page
from clabo.collect.events.storage.stitching import NewEvent
from clabo.core.pages.addresses import Address
from clabo.core.rules import Occurrence


def occurrence(event: Event | NewEvent, page: Page, element: Element | None) -> Occurrence:
    """The event with its page and element."""
    return Occurrence(
        KIND_NAMES[event.kind],  # type: ignore[arg-type]
        Address(page.host, page.path),
        event.query,
        element.traits if element else {},
        event.name,
        event.properties or {},
        event.views,
    )
