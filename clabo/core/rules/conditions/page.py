"""A page is reached."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from clabo.core.message import message
from clabo.core.rules.condition import Rehearsal
from clabo.core.rules.conditions.address import AddressCondition, exactly
from clabo.core.rules.facts import Fact, OfKind

CAMPAIGN = "utm_source=rehearsal&utm_medium=check&utm_campaign=rehearsal"
MOST_SILENT = 4


@dataclass(frozen=True)
class PageReached(AddressCondition):
    """A view of a page whose normalised address fits."""

    key: ClassVar[str] = "page"

    def made_of(self) -> tuple[Fact, ...]:
        """A view, on such a page."""
        return OfKind("view"), self.page

    def name_words(self) -> str:
        """The address without its host."""
        if self.match == "pattern":
            return ""
        return (self.value.partition("/")[2] if "/" in self.value else self.value) + " reached"

    def rehearse(self, lines: Rehearsal) -> None:
        """Reach it, with and without campaign parameters; and what only looks alike."""
        met = [p for p in lines.pages() if self.page.fits(p)]
        where = str(met[0]) if met else (self.value if self.match in ("equals", "begins") else "")
        watch = {"page": self.json()}
        lines.add("fire", message("rehearse_reach", where=where), where, watch, campaign=False)
        if where:
            says = message("rehearse_campaign", where=where)
            lines.add("fire", says, f"{where}?{CAMPAIGN}", watch, campaign=True)
        others = [p for p in lines.pages() if self.page.alike(p)]
        for other in others[:MOST_SILENT]:
            lines.add("silent", message("rehearse_alike", where=str(other)), str(other), exactly(other))
        home = next((p for p in lines.pages() if not self.page.fits(p)), None)
        if home and not others:
            lines.add("silent", message("rehearse_open", where=str(home)), str(home), exactly(home))
