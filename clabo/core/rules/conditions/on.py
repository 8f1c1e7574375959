"""It happens on a certain page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from clabo.core.rules.conditions.address import AddressCondition
from clabo.core.rules.facts import Fact


@dataclass(frozen=True)
class OnPage(AddressCondition):
    """Whatever happens, happens on a page whose address fits."""

    key: ClassVar[str] = "on"
    trigger: ClassVar[bool] = False

    def made_of(self) -> tuple[Fact, ...]:
        """On such a page."""
        return (self.page,)

    def place(self) -> dict[str, str] | None:
        """The page; patterns are left to the server, for RE2 is not JavaScript."""
        return None if self.match == "pattern" else {"match": self.match, "value": self.value}
