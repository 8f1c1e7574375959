"""A sale is reported for a bridge link."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from clabo.core.rules.conditions.bridged import BridgeCondition
from clabo.core.rules.occurrence import Kind


@dataclass(frozen=True)
class SaleReported(BridgeCondition):
    """The other side of a bridge link reported a sale."""

    key: ClassVar[str] = "sale"
    kind: ClassVar[Kind] = "sale"

    def name_words(self) -> str:
        """The link."""
        return f"{self.link} sale"
