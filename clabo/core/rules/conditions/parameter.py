"""The address carries a query parameter."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, NotRequired, Self

from typing_extensions import TypedDict

from clabo.core.rules.condition import Condition
from clabo.core.rules.errors import maybe_text, only, text
from clabo.core.rules.facts import Fact, HasParameter


class ParameterShape(TypedDict):
    """A query parameter, and its value where that matters."""

    name: str
    value: NotRequired[str]


@dataclass(frozen=True)
class Parameter(Condition):
    """The address carries a query parameter, with this value or, where `value` is empty, with any."""

    name: str
    value: str

    key: ClassVar[str] = "parameter"
    trigger: ClassVar[bool] = False
    shape = ParameterShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"name", "value"})
        return cls(text(data, "name", "ask_parameter", 100), maybe_text(data, "value", 200))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"name": self.name, "value": self.value}

    def made_of(self) -> tuple[Fact, ...]:
        """The parameter."""
        return (HasParameter(self.name, self.value),)
