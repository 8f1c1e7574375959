"""A bridge link is followed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from clabo.core.rules.conditions.bridged import BridgeCondition
from clabo.core.rules.occurrence import Kind


@dataclass(frozen=True)
class BridgeStep(BridgeCondition):
    """Somebody went over a bridge link to a page that is not the site's."""

    key: ClassVar[str] = "step"
    kind: ClassVar[Kind] = "step"

    def name_words(self) -> str:
        """The link."""
        return f"{self.link} visit"
