"""A form is sent; or somebody has begun to fill it in, or tried to send it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Self, get_args

from typing_extensions import TypedDict

from clabo.core.message import Message, message
from clabo.core.rules.condition import ElementCondition, Rehearsal
from clabo.core.rules.errors import maybe_text, one_of, only
from clabo.core.rules.facts import Fact, OnElement
from clabo.core.rules.occurrence import Kind, Occurrence

PARTS = ("id", "name", "action", "field")
Stage = Literal["begun", "tried"]
STAGES: tuple[Stage, ...] = get_args(Stage)
_KINDS: dict[str, tuple[Kind, ...]] = {
    "": ("form",),
    "begun": ("begun", "tried", "form"),
    "tried": ("form", "tried"),
}


class FormShape(TypedDict, total=False):
    """A form by its id, name, action and one of its fields; `stage`: how far somebody came, if not to its end."""

    id: str
    name: str
    action: str
    field: str
    stage: Stage


@dataclass(frozen=True)
class FormSubmitted(ElementCondition):
    """A form was sent: the one with this id, name, action and field, as far as they are given.

    `stage` "begun": somebody has entered something, or come further; "tried": somebody has tried to send it, whatever
    came of that.
    """

    id: str = ""
    name: str = ""
    action: str = ""
    field: str = ""
    stage: str = ""

    key: ClassVar[str] = "form"
    kind: ClassVar[Kind] = "form"
    shape = FormShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {*PARTS, "stage"})
        stage = one_of(data, "stage", STAGES) if "stage" in data else ""
        return cls(**{part: maybe_text(data, part, 300) for part in PARTS}, stage=stage)

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {part: value for part in (*PARTS, "stage") if (value := getattr(self, part))}

    def kinds(self) -> tuple[Kind, ...]:
        """What is told of a form that came so far, or further."""
        return _KINDS[self.stage]

    def repeats(self) -> bool:
        """A form that is begun, tried and sent is told of three times."""
        return bool(self.stage)

    def made_of(self) -> tuple[Fact, ...]:
        """Such a form; one that was only tried comes near to one that is sent."""
        return (OnElement(self, tried=not self.stage),)

    def element_misses(self, element: Mapping[str, Any]) -> list[Message]:
        """Why the form does not fit."""
        found = []
        for part in ("id", "name"):
            asked = getattr(self, part)
            if asked and element.get(part, "") != asked:
                found.append(message("miss_form", part=part, has=element.get(part), asked=asked))
        if self.action and self.action not in element.get("action", ""):
            found.append(message("miss_form_action", has=element.get("action"), asked=self.action))
        if self.field and self.field not in element.get("fields", ()):
            found.append(message("miss_form_field", asked=self.field))
        return found

    def name_words(self) -> str:
        """What the form is called."""
        called = self.id or self.name or self.action.rpartition("/")[2] or self.field
        return called.lower().replace("_form", "").replace("-form", "") + f" {self.stage or 'sent'}"

    def rehearse(self, lines: Rehearsal) -> None:
        """Send it, have it fail, and send its neighbours."""
        if self.stage:
            super().rehearse(lines)
            return
        pages = lines.pages_of(self)
        where = str(pages[0]) if pages else ""
        watch = {"form": self.json()}
        lines.add("fire", message("rehearse_send", rule={self.key: self.json()}), where, watch)
        lines.add(
            "silent", message("rehearse_fail", rule={self.key: self.json()}), where, watch, failing=True
        )
        lines.others(self, pages, "rehearse_other_form")

    def exactly(self, traits: Mapping[str, Any]) -> dict[str, Any]:
        """JSON of the condition that asks for just this form."""
        return {k: traits[k] for k in ("id", "name", "action") if traits.get(k)} or {
            "field": next(iter(traits.get("fields", ())), "")
        }

    def attempted_by(self, o: Occurrence, failing: bool) -> bool:
        """Whether such a form was sent, or with `failing` tried in vain."""
        kinds = ("tried",) if failing else self.kinds()
        return o.kind in kinds and not self.element_misses(o.element)
