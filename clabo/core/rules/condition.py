"""What every condition is, and what it may say beyond that. One condition is one file in conditions/."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from functools import cached_property
from typing import Any, ClassVar, Literal, Protocol, Self

from clabo.core.message import Message, message
from clabo.core.pages.addresses import Address, PageReading
from clabo.core.rules.facts import Fact, OfKind
from clabo.core.rules.occurrence import Kind, Occurrence

Should = Literal["fire", "silent"]


class Rehearsal(Protocol):
    """What a condition adds its lines to (core/rules/rehearsal.py)."""

    def pages(self) -> Sequence[Address]:
        """The site's pages."""

    def events(self) -> Sequence[str]:
        """Names of the events from code that were seen."""

    def pages_of(self, condition: Any) -> list[Address]:
        """Where elements that the condition asks for have been seen."""

    def others(self, condition: Any, pages: Sequence[Address], code: str) -> None:
        """Add what is of the same kind and should stay silent, first on the same pages."""

    def add(self, should: Should, says: Message, where: str, watch: dict[str, Any], **more: Any) -> None:
        """Add one line, unless one that says the same is there."""


class Condition(ABC):
    """A condition on one event: frozen, and equal to what its JSON reads.

    `key` is its name in a rule, `shape` a TypedDict of what stands under that name. A `trigger` is fulfilled by what
    happens; others only narrow down where.
    """

    key: ClassVar[str]
    shape: ClassVar[Any]
    trigger: ClassVar[bool] = True

    @classmethod
    @abstractmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""

    @abstractmethod
    def json(self) -> dict[str, Any]:
        """What `read` reads."""

    @abstractmethod
    def made_of(self) -> tuple[Fact, ...]:
        """What an event must fulfil, all of it; its kind first, where that is asked for."""

    @cached_property
    def facts(self) -> tuple[Fact, ...]:
        """`made_of`, made once."""
        return self.made_of()

    def misses(self, o: Occurrence) -> list[Message]:
        """Why `o` does not meet this; empty where it does. Of another kind, nothing else is worth a word."""
        found: list[Message] = []
        for fact in self.facts:
            found += fact.misses(o)
            if found and isinstance(fact, OfKind):
                break
        return found

    def met(self, o: Occurrence) -> bool:
        """Whether `o` meets this."""
        return not any(fact.misses(o) for fact in self.facts)

    def on(self, reading: PageReading) -> Self:
        """The same on a site that reads its addresses so."""
        return self

    # -- what only some conditions have to say ----------------------------------------------------

    def on_demand(self) -> bool:
        """Whether the tag reports it only where a rule asks for it, so that what is past cannot have met it."""
        return False

    def repeats(self) -> bool:
        """Whether one doing may meet it several times over, so that not every event may be counted."""
        return False

    def asks_tag(self) -> tuple[str, dict[str, Any]] | None:
        """What the tag must listen for: a list of its settings, and an entry for it."""
        return None

    def place(self) -> dict[str, str] | None:
        """The page that this narrows others down to, as the tag can read it."""
        return None

    def name_words(self) -> str:
        """Words for the name of a conversion, separated by anything; empty where it suggests none."""
        return ""

    def rehearse(self, lines: Rehearsal) -> None:
        """What should count, and what is so alike that it must be seen to stay silent."""
        if self.trigger:
            watch = {self.key: self.json()}
            lines.add("fire", message("rehearse_do", rule=watch), "", watch)

    def exactly(self, traits: Mapping[str, Any]) -> dict[str, Any]:
        """JSON of the condition that asks for just this element."""
        return {}

    def attempted_by(self, o: Occurrence, failing: bool) -> bool:
        """Whether `o` is an attempt at this, or with `failing` at having it fail."""
        return self.met(o)


class ElementCondition(Condition):
    """A condition on what the tag says of an element. Empty parts ask for nothing."""

    kind: ClassVar[Kind]

    def kinds(self) -> tuple[Kind, ...]:
        """The kinds of events that the element may have been acted on by."""
        return (self.kind,)

    @abstractmethod
    def element_misses(self, element: Mapping[str, Any]) -> list[Message]:
        """Why the element itself does not fit, one reason a trait."""
