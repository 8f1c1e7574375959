"""Conditions on events from code, on how a visit went, and on bridge links."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, Literal, Self, cast, get_args

from clabo.core.rules.errors import RuleError, maybe_text, only, text, whole
from clabo.core.rules.occurrence import IN_WORDS, Kind, Occurrence

Comparison = Literal["is", "is_not", "contains", "at_least", "at_most", "above", "below"]
COMPARISONS: tuple[Comparison, ...] = get_args(Comparison)
NUMERIC: frozenset[str] = frozenset({"at_least", "at_most", "above", "below"})
_IN_WORDS: dict[Comparison, str] = {
    "is": "is",
    "is_not": "is not",
    "contains": "contains",
    "at_least": "is at least",
    "at_most": "is at most",
    "above": "is above",
    "below": "is below",
}
# No digit first: the database would read it as a place in a list.
_PROPERTY = re.compile(r"[^\W\d][\w .-]{0,59}")
Scalar = str | float | bool


@dataclass(frozen=True, slots=True)
class PropertyTest:
    """A property of an event from code held against a value. Texts and numbers are never equal.

    A property that is missing meets nothing but `is_not`.
    """

    property: str
    comparison: Comparison
    value: Scalar

    @classmethod
    def read(cls, data: Any) -> Self:
        """The comparison that JSON `data` states; raises RuleError."""
        if not isinstance(data, Mapping):
            raise RuleError("where", "A comparison names a property, how to compare, and a value.")
        only(data, {"property", "comparison", "value"}, "A comparison")
        name = text(data, "property", "Name the property, for example value.", 60)
        if not _PROPERTY.fullmatch(name):
            raise RuleError("property", "A property's name begins with a letter, for example value.")
        comparison = data.get("comparison")
        if comparison not in COMPARISONS:
            raise RuleError("comparison", f"Choose one of {', '.join(COMPARISONS)}.")
        value = data.get("value")
        if isinstance(value, int) and not isinstance(value, bool):
            if abs(value) > 1e15:
                raise RuleError("value", "This number is too large to compare with.")
            value = float(value)
        if isinstance(value, float) and not math.isfinite(value):
            raise RuleError("value", "This is not a number to compare with.")
        if comparison in NUMERIC and not isinstance(value, float):
            raise RuleError("value", "This comparison needs a number.")
        if comparison == "contains" and not (isinstance(value, str) and value):
            raise RuleError("value", "Say which words the property contains.")
        if not isinstance(value, Scalar):
            raise RuleError("value", "Compare with a text, a number, true or false.")
        if isinstance(value, str) and (len(value) > 300 or "\x00" in value):
            raise RuleError("value", "Keep this under 300 characters.")
        return cls(name, cast(Comparison, comparison), value)

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"property": self.property, "comparison": self.comparison, "value": self.value}

    def met(self, properties: Mapping[str, Any]) -> bool:
        """Whether the event's properties meet the comparison."""
        has: Any = properties.get(self.property)
        if self.comparison in NUMERIC:
            if isinstance(has, bool) or not isinstance(has, int | float):
                return False
            asked = cast(float, self.value)
            return bool(
                (self.comparison == "at_least" and has >= asked)
                or (self.comparison == "at_most" and has <= asked)
                or (self.comparison == "above" and has > asked)
                or (self.comparison == "below" and has < asked)
            )
        if self.comparison == "contains":
            return isinstance(has, str) and cast(str, self.value) in has
        # True equals 1 in Python, and does not in JSON.
        alike = isinstance(has, bool) == isinstance(self.value, bool)
        same = alike and has is not None and has == self.value
        return same == (self.comparison == "is")

    def reading(self) -> str:
        """The comparison in plain English."""
        value = f"{self.value:.15g}" if isinstance(self.value, float) else str(self.value)
        return f"{self.property} {_IN_WORDS[self.comparison]} {value}"


@dataclass(frozen=True, slots=True)
class CodeEvent:
    """The site's own code said so: `clabo.mark(name, properties)`."""

    name: str
    where: tuple[PropertyTest, ...] = ()

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = "event"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"name", "where"}, "An event from code")
        where = data.get("where") or []
        if not isinstance(where, list) or len(where) > 10:
            raise RuleError("where", "Give a list of at most 10 comparisons.")
        name = text(data, "name", "Name the event as the code does, for example order.", 64)
        return cls(name, tuple(PropertyTest.read(test) for test in where))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"name": self.name} | ({"where": [t.json() for t in self.where]} if self.where else {})

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this, one reason a condition; empty where it does."""
        if o.kind != "mark":
            return [f"this is {IN_WORDS[o.kind]}, this asks for an event from code"]
        found = []
        if o.name != self.name:
            found.append(f"the event is {o.name or 'without a name'}, this asks for {self.name}")
        for test in self.where:
            if not test.met(o.properties):
                has = o.properties.get(test.property)
                found.append(
                    f"{test.property} is {'not given' if has is None else has}, this asks that {test.reading()}"
                )
        return found

    def reading(self) -> str:
        """The condition in plain English."""
        tests = " and ".join(t.reading() for t in self.where)
        return f"the site's code says {self.name}" + (f" and {tests}" if tests else "")


@dataclass(frozen=True, slots=True)
class PagesSeen:
    """The visit has seen at least so many pages (views, the event's own included)."""

    least: int

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = "seen"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"pages"}, "A number of pages")
        return cls(whole(data, "pages", 1, 500, "Say how many pages, 1 to 500."))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"pages": self.least}

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this; empty where it does."""
        if o.views >= self.least:
            return []
        return [f"the visit has seen {o.views} so far, this asks for {self.least}"]

    def reading(self) -> str:
        """The condition in plain English."""
        return f"the visit has seen {self.least} page{'s' if self.least > 1 else ''} or more"


@dataclass(frozen=True, slots=True)
class _Reached:
    """Something measured on a page has reached an amount. The tag reports the amounts that rules ask for."""

    least: int

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = ""
    kind: ClassVar[Kind]
    unit: ClassVar[str]
    high: ClassVar[int]

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {cls.unit}, "This condition")
        return cls(whole(data, cls.unit, 1, cls.high, f"Say how many {cls.unit}, 1 to {cls.high}."))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {self.unit: self.least}

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this; empty where it does."""
        if o.kind != self.kind:
            return [f"this is {IN_WORDS[o.kind]}, this asks for {IN_WORDS[self.kind]}"]
        reached = o.properties.get("reached")
        if isinstance(reached, int | float) and reached >= self.least:
            return []
        return [f"{reached} {self.unit} so far, this asks for {self.least}"]


@dataclass(frozen=True, slots=True)
class Stayed(_Reached):
    """The visitor has looked at one page for so long (the time that it is in front)."""

    key: ClassVar[str] = "stay"
    kind: ClassVar[Kind] = "stay"
    unit: ClassVar[str] = "seconds"
    high: ClassVar[int] = 3600

    def reading(self) -> str:
        """The condition in plain English."""
        return f"a page has been looked at for {self.least} seconds or more"


@dataclass(frozen=True, slots=True)
class Scrolled(_Reached):
    """The visitor has scrolled so far down one page."""

    key: ClassVar[str] = "scroll"
    kind: ClassVar[Kind] = "scroll"
    unit: ClassVar[str] = "percent"
    high: ClassVar[int] = 100

    def reading(self) -> str:
        """The condition in plain English."""
        return f"a page has been scrolled through to {self.least} percent or more"


@dataclass(frozen=True, slots=True)
class _Bridged:
    """Something that happened over a bridge link: this one, or any where `link` is empty."""

    link: str = ""

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = ""
    kind: ClassVar[Kind]

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"link"}, "A bridge link")
        return cls(maybe_text(data, "link", 60))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"link": self.link} if self.link else {}

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this; empty where it does."""
        if o.kind != self.kind:
            return [f"this is {IN_WORDS[o.kind]}, this asks for {IN_WORDS[self.kind]}"]
        if self.link and o.name != self.link:
            return [f"the link is {o.name}, this asks for {self.link}"]
        return []


@dataclass(frozen=True, slots=True)
class BridgeStep(_Bridged):
    """Somebody went over a bridge link to a page that is not the site's."""

    key: ClassVar[str] = "step"
    kind: ClassVar[Kind] = "step"

    def reading(self) -> str:
        """The condition in plain English."""
        return f"somebody follows the bridge link {self.link}" if self.link else "any bridge link is followed"


@dataclass(frozen=True, slots=True)
class SaleReported(_Bridged):
    """The other side of a bridge link reported a sale."""

    key: ClassVar[str] = "sale"
    kind: ClassVar[Kind] = "sale"

    def reading(self) -> str:
        """The condition in plain English."""
        of = f"the bridge link {self.link}" if self.link else "any bridge link"
        return f"a sale is reported for {of}"
