"""What rules, links, tests and spend name: it is told apart whatever strangers have made up."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from clabo.collect.events.intake.parsing import ParsedEvent
from clabo.core.pages.addresses import Address
from clabo.platform.registry import Registry

# A source with campaign, ad group and ad, in small letters: as a link or a spend file writes them.
Ad = tuple[str, str, str, str]


@dataclass(slots=True)
class Wanted:
    """Pages and ads by name, and what else is looked for."""

    pages: set[Address] = field(default_factory=set)
    ads: set[Ad] = field(default_factory=set)
    meets: list[Callable[[ParsedEvent], bool]] = field(default_factory=list)

    def event(self, parsed: ParsedEvent) -> bool:
        """Whether somebody waits for just this."""
        return any(meets(parsed) for meets in self.meets)


# Each adds to what is wanted of a site. Asked only where there is no room left otherwise.
sources: Registry[Callable[[int, Wanted], None]] = Registry("source of what is wanted", ("site_id", "wanted"))


def wanted_of(site_id: int) -> Wanted:
    """What everybody wants of a site."""
    found = Wanted()
    for add in sources.all().values():
        add(site_id, found)
    return found


def ad(source: str, campaign: str, ad_group: str = "", name: str = "") -> Ad:
    """An ad in the spelling that ads are compared in."""
    return source.lower(), campaign.lower(), ad_group.lower(), name.lower()
