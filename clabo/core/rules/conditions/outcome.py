"""A lead or an order reached a stage."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from typing_extensions import TypedDict

from clabo.core.rules.condition import Condition, Rehearsal
from clabo.core.rules.errors import maybe_text, only
from clabo.core.rules.facts import Fact, Named, OfKind
from clabo.core.rules.occurrence import Kind


class OutcomeShape(TypedDict, total=False):
    """A stage's key; any stage, where it is missing."""

    stage: str


@dataclass(frozen=True)
class OutcomeReached(Condition):
    """Something was told of a lead or an order afterwards: that it reached this stage, or any where `stage` is empty."""

    stage: str = ""

    key: ClassVar[str] = "outcome"
    kind: ClassVar[Kind] = "outcome"
    shape = OutcomeShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"stage"})
        return cls(maybe_text(data, "stage", 40))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"stage": self.stage} if self.stage else {}

    def made_of(self) -> tuple[Fact, ...]:
        """Its kind, and the stage where one is named."""
        kind = OfKind(self.kind)
        return (kind, Named(self.stage, "stage")) if self.stage else (kind,)

    def name_words(self) -> str:
        """The stage."""
        return self.stage.replace("_", " ")

    def rehearse(self, lines: Rehearsal) -> None:
        """Nothing: it does not happen on a page."""
