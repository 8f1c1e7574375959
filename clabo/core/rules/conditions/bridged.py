"""What the conditions on bridge links share."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from typing_extensions import TypedDict

from clabo.core.rules.condition import Condition
from clabo.core.rules.errors import maybe_text, only
from clabo.core.rules.facts import Fact, Named, OfKind
from clabo.core.rules.occurrence import Kind


class BridgeShape(TypedDict, total=False):
    """A bridge link's name; any, where it is missing."""

    link: str


@dataclass(frozen=True)
class BridgeCondition(Condition):
    """Something that happened over a bridge link: this one, or any where `link` is empty."""

    link: str = ""

    kind: ClassVar[Kind]
    shape = BridgeShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"link"})
        return cls(maybe_text(data, "link", 60))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"link": self.link} if self.link else {}

    def made_of(self) -> tuple[Fact, ...]:
        """Its kind, and the link where one is named."""
        kind = OfKind(self.kind)
        return (kind, Named(self.link, "link")) if self.link else (kind,)
