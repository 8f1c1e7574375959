"""Something is clicked."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Self, cast, get_args

from typing_extensions import TypedDict

from clabo.core.message import Message, message
from clabo.core.rules.condition import ElementCondition, Rehearsal
from clabo.core.rules.errors import maybe_text, one_of, only
from clabo.core.rules.facts import Fact, OnElement
from clabo.core.rules.occurrence import Kind

ClickKind = Literal["outbound", "phone", "mail", "file", "link", "button"]
CLICK_KINDS: tuple[ClickKind, ...] = get_args(ClickKind)
PARTS = ("what", "text", "to", "selector")


class ClickShape(TypedDict, total=False):
    """A click by what was clicked, its words, its target and a selector."""

    what: ClickKind | Literal[""]
    text: str
    to: str
    selector: str


@dataclass(frozen=True)
class Clicked(ElementCondition):
    """A click: on this kind of element, with these words, to this target, fitting this selector."""

    what: ClickKind | Literal[""] = ""
    text: str = ""
    to: str = ""
    selector: str = ""

    key: ClassVar[str] = "click"
    kind: ClassVar[Kind] = "click"
    shape = ClickShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, set(PARTS))
        what = maybe_text(data, "what")
        return cls(
            cast(Any, what and one_of({"what": what}, "what", CLICK_KINDS)),
            maybe_text(data, "text", 200),
            maybe_text(data, "to", 300),
            maybe_text(data, "selector", 200),
        )

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {part: value for part in PARTS if (value := getattr(self, part))}

    def made_of(self) -> tuple[Fact, ...]:
        """A click on such an element."""
        return (OnElement(self),)

    def element_misses(self, element: Mapping[str, Any]) -> list[Message]:
        """Why the clicked element does not fit."""
        found = []
        if self.what and element.get("what") != self.what:
            found.append(message("miss_click_what", has=element.get("what", ""), asked=self.what))
        if self.text and self.text.casefold() not in element.get("text", "").casefold():
            found.append(message("miss_click_text", has=element.get("text", ""), asked=self.text))
        if self.to and self.to not in element.get("to", ""):
            found.append(message("miss_click_to", has=element.get("to"), asked=self.to))
        if self.selector and self.selector not in element.get("fits", ()):
            found.append(message("miss_click_selector", asked=self.selector))
        return found

    def on_demand(self) -> bool:
        """Only a selector has to be asked for."""
        return bool(self.selector)

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        """To say of clicks whether they fit the selector."""
        return ("clicks", {"selector": self.selector}) if self.selector else None

    def name_words(self) -> str:
        """Its first words, or where it leads."""
        words = "".join(c if c.isalnum() else " " for c in self.text or self.to or self.what).split()
        return " ".join(words[:4]) + " clicked"

    def rehearse(self, lines: Rehearsal) -> None:
        """Click it, and its neighbours."""
        pages = lines.pages_of(self)
        where = str(pages[0]) if pages else ""
        lines.add(
            "fire", message("rehearse_click", rule={self.key: self.json()}), where, {"click": self.json()}
        )
        lines.others(self, pages, "rehearse_other_click")

    def exactly(self, traits: Mapping[str, Any]) -> dict[str, Any]:
        """JSON of the condition that asks for just this element."""
        return {k: traits[k] for k in ("what", "text", "to") if traits.get(k)}
