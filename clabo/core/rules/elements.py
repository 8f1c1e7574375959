"""Conditions on forms, clicked elements, elements that appear, and messages from frames."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any, ClassVar, Literal, Self, cast, get_args
from urllib.parse import urlsplit

from clabo.core.addresses import AddressError, host_of
from clabo.core.rules.errors import RuleError, maybe_text, only, text
from clabo.core.rules.occurrence import IN_WORDS, Kind, Occurrence

ClickKind = Literal["outbound", "phone", "mail", "file", "link", "button"]
CLICK_KINDS: tuple[ClickKind, ...] = get_args(ClickKind)
_CLICKS: dict[str, str] = {
    "": "something",
    "outbound": "a link to another site",
    "phone": "a phone number",
    "mail": "an e-mail address",
    "file": "a file",
    "link": "a link",
    "button": "a button",
}


@dataclass(frozen=True, slots=True)
class _ElementTest:
    """A condition on what the tag says of an element. Empty parts ask for nothing."""

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = ""
    kind: ClassVar[Kind]

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this, one reason a condition; empty where it does."""
        if o.kind != self.kind:
            return [f"this is {IN_WORDS[o.kind]}, this asks for {IN_WORDS[self.kind]}"]
        return self.element_misses(o.element)

    def element_misses(self, element: Mapping[str, Any]) -> list[str]:
        """Why the element itself does not fit."""
        raise NotImplementedError

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {f.name: value for f in fields(self) if (value := getattr(self, f.name))}


def _other(what: str, has: object, asked: str) -> str:
    return f"{what} is {has or 'not given'}, this asks for {asked}"


@dataclass(frozen=True, slots=True)
class FormSubmitted(_ElementTest):
    """A form was sent: the one with this id, name, action and field, as far as they are given."""

    id: str = ""
    name: str = ""
    action: str = ""
    field: str = ""

    key: ClassVar[str] = "form"
    kind: ClassVar[Kind] = "form"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"id", "name", "action", "field"}, "A form")
        return cls(*(maybe_text(data, part, 300) for part in ("id", "name", "action", "field")))

    def element_misses(self, element: Mapping[str, Any]) -> list[str]:
        """Why the form does not fit."""
        found = []
        for part in ("id", "name"):
            asked = getattr(self, part)
            if asked and element.get(part, "") != asked:
                found.append(_other(f"the form's {part}", element.get(part), asked))
        if self.action and self.action not in element.get("action", ""):
            found.append(
                f"the form's action is {element.get('action') or 'not given'}, this asks for one with {self.action}"
            )
        if self.field and self.field not in element.get("fields", ()):
            found.append(f"the form has no field {self.field}")
        return found

    def reading(self) -> str:
        """The condition in plain English."""
        parts = [f"{part} {value}" for part in ("id", "name") if (value := getattr(self, part))]
        if self.action:
            parts.append(f"an action with {self.action}")
        if self.field:
            parts.append(f"a field {self.field}")
        return f"a form with {' and '.join(parts)} is sent" if parts else "any form is sent"


@dataclass(frozen=True, slots=True)
class ElementShown(_ElementTest):
    """An element appeared that was not there when the page came: by selector, by its text, or both."""

    selector: str = ""
    text: str = ""

    key: ClassVar[str] = "shown"
    kind: ClassVar[Kind] = "shown"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"selector", "text"}, "An element that appears")
        found = cls(maybe_text(data, "selector", 200), maybe_text(data, "text", 200))
        if not (found.selector or found.text):
            raise RuleError("selector", "Say which element, by a selector like #thanks or by its words.")
        return found

    def element_misses(self, element: Mapping[str, Any]) -> list[str]:
        """Why the element does not fit. The tag looks for just what a rule asks for, and says which it was."""
        found = []
        for part in ("selector", "text"):
            asked = getattr(self, part)
            if element.get(part, "") != asked:
                found.append(_other(f"the {part} looked for", element.get(part), asked or "none"))
        return found

    def reading(self) -> str:
        """The condition in plain English."""
        parts = [self.selector and f"fits {self.selector}", self.text and f"says “{self.text}”"]
        return f"an element appears that {' and '.join(p for p in parts if p)}"


@dataclass(frozen=True, slots=True)
class FrameMessage(_ElementTest):
    """A frame of another origin posted a message whose key, a path like "data.type", has this value."""

    origin: str
    at: str
    value: str

    key: ClassVar[str] = "message"
    kind: ClassVar[Kind] = "message"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"origin", "at", "value"}, "A message")
        origin = text(data, "origin", "Say whose message counts, for example https://forms.example.", 300)
        return cls(
            _origin(origin),
            text(data, "at", "Say which key of the message decides, for example type.", 200),
            text(data, "value", "Say which value it must have, for example sent.", 200),
        )

    def element_misses(self, element: Mapping[str, Any]) -> list[str]:
        """Why the message does not fit."""
        found = []
        if element.get("origin") != self.origin:
            found.append(_other("the message's origin", element.get("origin"), self.origin))
        values = element.get("values") or {}
        if self.at not in (element.get("keys") or {}):
            found.append(f"the message has no key {self.at}")
        elif str(values.get(self.at, "")) != self.value:
            found.append(_other(f"the message's {self.at}", values.get(self.at), self.value))
        return found

    def reading(self) -> str:
        """The condition in plain English."""
        return f"a frame from {self.origin} posts a message whose {self.at} is {self.value}"


def _origin(value: str) -> str:
    """An origin as browsers write it (RFC 6454 §6.2)."""
    try:
        parts = urlsplit(value if "://" in value else "https://" + value)
        return f"{parts.scheme.lower()}://{host_of(parts.geturl())}"
    except (AddressError, ValueError):
        raise RuleError("origin", "This is no origin. It looks like https://forms.example.") from None


@dataclass(frozen=True, slots=True)
class Clicked(_ElementTest):
    """A click: on this kind of element, with these words, to this target, fitting this selector."""

    what: ClickKind | Literal[""] = ""
    text: str = ""
    to: str = ""
    selector: str = ""

    key: ClassVar[str] = "click"
    kind: ClassVar[Kind] = "click"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"what", "text", "to", "selector"}, "A click")
        what = maybe_text(data, "what")
        if what and what not in CLICK_KINDS:
            raise RuleError("what", f"Choose one of {', '.join(CLICK_KINDS)}.")
        return cls(
            cast(Any, what),
            maybe_text(data, "text", 200),
            maybe_text(data, "to", 300),
            maybe_text(data, "selector", 200),
        )

    def element_misses(self, element: Mapping[str, Any]) -> list[str]:
        """Why the clicked element does not fit."""
        found = []
        if self.what and element.get("what") != self.what:
            found.append(
                f"the click was on {_CLICKS.get(element.get('what', ''), 'something')}, "
                f"this asks for {_CLICKS[self.what]}"
            )
        if self.text and self.text.casefold() not in element.get("text", "").casefold():
            found.append(f"it says “{element.get('text', '')}”, this asks for “{self.text}”")
        if self.to and self.to not in element.get("to", ""):
            found.append(f"it leads to {element.get('to') or 'nowhere'}, this asks for {self.to}")
        if self.selector and self.selector not in element.get("fits", ()):
            found.append(f"it does not fit {self.selector}")
        return found

    def reading(self) -> str:
        """The condition in plain English."""
        said = f"{_CLICKS[self.what]} is clicked"
        parts = [
            self.text and f"that says “{self.text}”",
            self.to and f"that leads to {self.to}",
            self.selector and f"that fits {self.selector}",
        ]
        more = " and ".join(p for p in parts if p)
        return f"{_CLICKS[self.what]} {more} is clicked" if more else said
