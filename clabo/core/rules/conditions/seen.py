"""So many pages were seen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Self

from typing_extensions import TypedDict

from clabo.core.rules.condition import Condition
from clabo.core.rules.errors import only, whole
from clabo.core.rules.facts import Fact, ViewsSoFar


class SeenShape(TypedDict):
    """A number of pages."""

    pages: int


@dataclass(frozen=True)
class PagesSeen(Condition):
    """The visit has seen at least so many pages (views, the event's own included)."""

    least: int

    key: ClassVar[str] = "seen"
    shape = SeenShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"pages"})
        return cls(whole(data, "pages", 1, 500))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"pages": self.least}

    def made_of(self) -> tuple[Fact, ...]:
        """The visit's views so far."""
        return (ViewsSoFar(self.least),)

    def name_words(self) -> str:
        """How many."""
        return f"visit of {self.least} pages"
