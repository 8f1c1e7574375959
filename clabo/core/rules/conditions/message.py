"""A frame says so."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self
from urllib.parse import urlsplit

from typing_extensions import TypedDict

from clabo.core.message import Message, message
from clabo.core.pages.addresses import AddressError, host_of
from clabo.core.rules.condition import ElementCondition, Rehearsal
from clabo.core.rules.errors import RuleError, only, text
from clabo.core.rules.facts import Fact, OnElement
from clabo.core.rules.occurrence import Kind


class MessageShape(TypedDict):
    """Whose message, which of its keys, and which value."""

    origin: str
    at: str
    value: str


@dataclass(frozen=True)
class FrameMessage(ElementCondition):
    """A frame of another origin posted a message whose key, a path like "data.type", has this value."""

    origin: str
    at: str
    value: str

    key: ClassVar[str] = "message"
    kind: ClassVar[Kind] = "message"
    shape = MessageShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"origin", "at", "value"})
        origin = text(data, "origin", "ask_origin", 300)
        return cls(
            _origin(origin),
            text(data, "at", "ask_key", 200),
            text(data, "value", "ask_value", 200),
        )

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"origin": self.origin, "at": self.at, "value": self.value}

    def made_of(self) -> tuple[Fact, ...]:
        """Such a message."""
        return (OnElement(self),)

    def element_misses(self, element: Mapping[str, Any]) -> list[Message]:
        """Why the message does not fit."""
        found = []
        if element.get("origin") != self.origin:
            found.append(message("miss_origin", has=element.get("origin"), asked=self.origin))
        values = element.get("values") or {}
        if self.at not in (element.get("keys") or {}):
            found.append(message("miss_key", asked=self.at))
        elif str(values.get(self.at, "")) != self.value:
            found.append(message("miss_value", at=self.at, has=values.get(self.at), asked=self.value))
        return found

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        """To tell of such messages."""
        return "messages", self.json()

    def name_words(self) -> str:
        """What the frame says."""
        return f"{self.value} in frame"

    def rehearse(self, lines: Rehearsal) -> None:
        """Finish the form in the frame; and let it say other things."""
        pages = lines.pages_of(self)
        where = str(pages[0]) if pages else ""
        lines.add("fire", message("rehearse_frame", origin=self.origin), where, {"message": self.json()})
        lines.others(self, pages, "rehearse_other_message")

    def exactly(self, traits: Mapping[str, Any]) -> dict[str, Any]:
        """JSON of the condition that asks for just this message."""
        at, value = next(iter((traits.get("values") or {"": ""}).items()))
        return {"origin": traits.get("origin", ""), "at": at or "?", "value": str(value) or "?"}


def _origin(value: str) -> str:
    """An origin as browsers write it (RFC 6454 §6.2)."""
    try:
        parts = urlsplit(value if "://" in value else "https://" + value)
        return f"{parts.scheme.lower()}://{host_of(parts.geturl())}"
    except (AddressError, ValueError):
        raise RuleError("origin", "no_origin") from None
