"""One event, with what it knows of its visit, as rules see it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, get_args

from clabo.core.pages.addresses import Address

Kind = Literal[
    "view",
    "mark",
    "note",
    "form",
    "tried",
    "click",
    "message",
    "shown",
    "stay",
    "scroll",
    "step",
    "sale",
    "begun",
    "left",
    "loaded",
    "outcome",
]
KINDS: tuple[Kind, ...] = get_args(Kind)


@dataclass(frozen=True, slots=True)
class Occurrence:
    """An event on `page`; `query` is what followed the page's address, in the form of `canonical_query`.

    `element` describes the form, the clicked element, the frame's message or the bridge link;
    `views` counts the visit's page views up to the event, its own included.
    """

    kind: Kind
    page: Address
    query: str = ""
    element: Mapping[str, Any] = field(default_factory=dict)
    name: str = ""
    properties: Mapping[str, Any] = field(default_factory=dict)
    views: int = 1
