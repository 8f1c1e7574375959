"""What can be asked of one event. Conditions are made of these, and whoever puts rules to a database knows only these."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING, Any, ClassVar, Literal, get_args
from urllib.parse import urlencode

import re2

from clabo.core.message import Message, message
from clabo.core.money.conversion_value import number_of
from clabo.core.pages.addresses import Address
from clabo.core.rules.occurrence import Kind, Occurrence

if TYPE_CHECKING:
    from clabo.core.rules.condition import ElementCondition

Match = Literal["equals", "begins", "contains", "pattern"]
MATCHES: tuple[Match, ...] = get_args(Match)
Comparison = Literal["is", "is_not", "contains", "at_least", "at_most", "above", "below"]
COMPARISONS: tuple[Comparison, ...] = get_args(Comparison)
NUMERIC: frozenset[str] = frozenset({"at_least", "at_most", "above", "below"})
Scalar = str | float | bool
# What of an event a fact looks at.
Part = Literal["kind", "page", "query", "element", "name", "properties", "views"]


class Fact(ABC):
    """Something that an event fulfils or not, by one part of what it says."""

    part: ClassVar[Part]

    @abstractmethod
    def misses(self, o: Occurrence) -> list[Message]:
        """Why `o` does not fulfil this; empty where it does."""


@dataclass(frozen=True, slots=True)
class OfKind(Fact):
    """The event is of this kind."""

    kind: Kind
    part: ClassVar[Part] = "kind"

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        return [] if o.kind == self.kind else [message("miss_kind", has=o.kind, asked=self.kind)]


@lru_cache(maxsize=512)
def pattern(text: str) -> Any:
    """The compiled pattern: RE2, in linear time, so that none can run away. Raises re2.error."""
    options = re2.Options()
    options.log_errors = False
    options.max_mem = 1 << 20
    return re2.compile(text, options)


@dataclass(frozen=True, slots=True)
class PageFits(Fact):
    """The page's address held against text.

    A `value` that begins with "/" is held against the path on any of the site's hosts, any other against host and
    path. Upper and lower case differ in paths, as they do on the web.
    """

    match: Match
    value: str
    part: ClassVar[Part] = "page"

    def fits(self, page: Address) -> bool:
        """Whether the page's address fits."""
        subject = page.path if self.value.startswith("/") else str(page)
        if self.match == "equals":
            return subject == self.value
        if self.match == "begins":
            return subject.startswith(self.value)
        if self.match == "contains":
            return self.value in str(page)
        return pattern(self.value).search(str(page)) is not None

    def alike(self, page: Address) -> bool:
        """Whether the page does not fit and has the same words all the same."""
        return self.alike_words() and not self.fits(page) and self.words() in page.path.lower()

    def alike_words(self) -> bool:
        """Whether it has words that other addresses can be alike by: four letters or more."""
        return self.match != "pattern" and len(self.words()) >= 4

    def words(self) -> str:
        """The last part of the address, in small letters."""
        return self.value.rstrip("/").rpartition("/")[2].lower() or self.value.lower()

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        if self.fits(o.page):
            return []
        return [message("miss_address", has=str(o.page), match=self.match, value=self.value)]


@dataclass(frozen=True, slots=True)
class HasParameter(Fact):
    """The address carries a query parameter, with this value or, where `value` is empty, with any."""

    name: str
    value: str
    part: ClassVar[Part] = "query"

    def needle(self) -> str:
        """What "&" + query + "&" contains exactly where this is met (see `canonical_query`)."""
        if self.value:
            return f"&{urlencode([(self.name, self.value)])}&"
        return "&" + urlencode([(self.name, "")])

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        if self.needle() in f"&{o.query}&":
            return []
        return [message("miss_parameter", name=self.name, value=self.value)]


@dataclass(frozen=True, slots=True)
class OnElement(Fact):
    """What was acted on is an element that the condition asks for.

    `near`: an element with one trait that differs is worth a word. `tried`: so is one of the kind "tried" that fits.
    """

    asked: ElementCondition
    near: bool = True
    tried: bool = False
    part: ClassVar[Part] = "element"

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not, one reason a trait."""
        kinds = self.asked.kinds()
        if o.kind not in kinds:
            return [message("miss_kind", has=o.kind, asked=kinds[0])]
        return self.asked.element_misses(o.element)


@dataclass(frozen=True, slots=True)
class Named(Fact):
    """The event has this name; `of` is what is named: an event, a bridge link or a stage."""

    name: str
    of: Literal["event", "link", "stage"]
    part: ClassVar[Part] = "name"

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        return [] if o.name == self.name else [message(f"miss_{self.of}", has=o.name, asked=self.name)]


@dataclass(frozen=True, slots=True)
class PropertyTest(Fact):
    """A property of an event from code held against a value. Texts and numbers are never equal.

    More and less are asked of what the property states as a number, be it one or a text that is one ("59.90"): what is
    a value for a conversion is one here. A property that is missing meets nothing but `is_not`.
    """

    property: str
    comparison: Comparison
    value: Scalar
    part: ClassVar[Part] = "properties"

    def json(self) -> dict[str, Any]:
        """The comparison as rules state it."""
        return {"property": self.property, "comparison": self.comparison, "value": self.value}

    def met(self, properties: Mapping[str, Any]) -> bool:
        """Whether the event's properties meet the comparison."""
        has: Any = properties.get(self.property)
        if self.comparison in NUMERIC:
            if isinstance(has, bool) or not isinstance(has, int | float):
                stated = number_of(has)
                if stated is None:
                    return False
                has = float(stated)
            asked = float(self.value)
            return bool(
                (self.comparison == "at_least" and has >= asked)
                or (self.comparison == "at_most" and has <= asked)
                or (self.comparison == "above" and has > asked)
                or (self.comparison == "below" and has < asked)
            )
        if self.comparison == "contains":
            return isinstance(has, str) and str(self.value) in has
        # True equals 1 in Python, and does not in JSON.
        alike = isinstance(has, bool) == isinstance(self.value, bool)
        same = alike and has is not None and has == self.value
        return same == (self.comparison == "is")

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        if self.met(o.properties):
            return []
        return [message("miss_property", has=o.properties.get(self.property), test=self.json())]


@dataclass(frozen=True, slots=True)
class Reached(Fact):
    """What the tag measures on a page has reached an amount, which it reports where a rule asks for it."""

    least: int
    unit: Literal["seconds", "percent"]
    part: ClassVar[Part] = "properties"

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        reached = o.properties.get("reached")
        if isinstance(reached, int | float) and reached >= self.least:
            return []
        return [message("miss_reached", has=reached, asked=self.least, unit=self.unit)]


@dataclass(frozen=True, slots=True)
class ViewsSoFar(Fact):
    """The visit has seen at least so many pages, the event's own included."""

    least: int
    part: ClassVar[Part] = "views"

    def misses(self, o: Occurrence) -> list[Message]:
        """Why not."""
        return [] if o.views >= self.least else [message("miss_views", has=o.views, asked=self.least)]
