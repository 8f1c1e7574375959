"""An element appears."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from typing_extensions import TypedDict

from clabo.core.message import Message, message
from clabo.core.rules.condition import ElementCondition, Rehearsal
from clabo.core.rules.errors import RuleError, maybe_text, only
from clabo.core.rules.facts import Fact, OnElement
from clabo.core.rules.occurrence import Kind


class ShownShape(TypedDict, total=False):
    """An element by a selector, by its words, or both."""

    selector: str
    text: str


@dataclass(frozen=True)
class ElementShown(ElementCondition):
    """An element appeared that was not there when the page came: by selector, by its text, or both."""

    selector: str = ""
    text: str = ""

    key: ClassVar[str] = "shown"
    kind: ClassVar[Kind] = "shown"
    shape = ShownShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"selector", "text"})
        found = cls(maybe_text(data, "selector", 200), maybe_text(data, "text", 200))
        if not (found.selector or found.text):
            raise RuleError("selector", "ask_element")
        return found

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {part: value for part in ("selector", "text") if (value := getattr(self, part))}

    def made_of(self) -> tuple[Fact, ...]:
        """Just this element: the tag looks for what a rule asks for, and says which it was."""
        return (OnElement(self, near=False),)

    def element_misses(self, element: Mapping[str, Any]) -> list[Message]:
        """Why the element does not fit."""
        return [
            message("miss_shown", part=part, has=element.get(part), asked=asked)
            for part in ("selector", "text")
            if element.get(part, "") != (asked := getattr(self, part))
        ]

    def on_demand(self) -> bool:
        """The tag must be asked to look."""
        return True

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        """To look out for it."""
        return "watch", {"shown": self.json()}

    def name_words(self) -> str:
        """Its first words."""
        return _few(self.text or self.selector) + " shown"

    def rehearse(self, lines: Rehearsal) -> None:
        """Make it appear."""
        lines.add("fire", message("rehearse_show", rule={self.key: self.json()}), "", {"shown": self.json()})


def _few(text: str) -> str:
    return " ".join("".join(c if c.isalnum() else " " for c in text).split()[:4])
