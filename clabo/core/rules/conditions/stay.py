"""A page was looked at for so long."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar, Literal

from typing_extensions import TypedDict

from clabo.core.rules.conditions.amount import AmountCondition
from clabo.core.rules.occurrence import Kind


class StayShape(TypedDict):
    """Seconds in front."""

    seconds: int


@dataclass(frozen=True)
class Stayed(AmountCondition):
    """The visitor has looked at one page for so long (the time that it is in front)."""

    key: ClassVar[str] = "stay"
    kind: ClassVar[Kind] = "stay"
    unit: ClassVar[Literal["seconds", "percent"]] = "seconds"
    high: ClassVar[int] = 3600
    shape = StayShape

    def name_words(self) -> str:
        """How long."""
        return f"stayed {self.least} seconds"
