"""A page was scrolled so far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from typing_extensions import TypedDict

from clabo.core.rules.conditions.amount import AmountCondition
from clabo.core.rules.occurrence import Kind


class ScrollShape(TypedDict):
    """Percent of the page's height."""

    percent: int


@dataclass(frozen=True)
class Scrolled(AmountCondition):
    """The visitor has scrolled so far down one page."""

    key: ClassVar[str] = "scroll"
    kind: ClassVar[Kind] = "scroll"
    unit: ClassVar[Literal["seconds", "percent"]] = "percent"
    high: ClassVar[int] = 100
    shape = ScrollShape

    def name_words(self) -> str:
        """How far."""
        return f"scrolled {self.least} percent"
