"""Where events happened, as a rule's screen lists them."""

from __future__ import annotations

from dataclasses import dataclass

from clabo.collect.events.models import Element, Page


@dataclass(frozen=True, slots=True)
class Place:
    """Events in one place: of one kind, on a page, with an element, under a name. `visits` may be unknown."""

    kind: str
    page: Page
    element: Element | None
    name: str
    events: int
    visits: int
    begun: int
