"""What the conditions on time spent and on scrolling share."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Self

from clabo.core.rules.condition import Condition
from clabo.core.rules.errors import only, whole
from clabo.core.rules.facts import Fact, OfKind, Reached
from clabo.core.rules.occurrence import Kind


@dataclass(frozen=True)
class AmountCondition(Condition):
    """Something measured on a page has reached an amount. The tag reports the amounts that rules ask for."""

    least: int

    kind: ClassVar[Kind]
    unit: ClassVar[Literal["seconds", "percent"]]
    high: ClassVar[int]

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {cls.unit})
        return cls(whole(data, cls.unit, 1, cls.high))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {self.unit: self.least}

    def made_of(self) -> tuple[Fact, ...]:
        """The amount, of its kind."""
        return OfKind(self.kind), Reached(self.least, self.unit)

    def on_demand(self) -> bool:
        """The tag must be asked to look."""
        return True

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        """To tell when it is reached."""
        return "watch", {self.key: self.least}
