"""The site's code says so."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, ClassVar, NotRequired, Self, cast

from typing_extensions import TypedDict

from clabo.core.message import message
from clabo.core.rules.condition import Condition, Rehearsal
from clabo.core.rules.conditions.page import MOST_SILENT
from clabo.core.rules.errors import RuleError, one_of, only, text
from clabo.core.rules.facts import COMPARISONS, NUMERIC, Comparison, Fact, Named, OfKind, PropertyTest, Scalar

MOST_TESTS = 10
# No digit first: the database would read it as a place in a list.
_PROPERTY = re.compile(r"[^\W\d][\w .-]{0,59}")


class PropertyShape(TypedDict):
    """A property of the event held against a value."""

    property: str
    comparison: Comparison
    value: str | float | bool


class EventShape(TypedDict):
    """An event's name, and what its properties must meet."""

    name: str
    where: NotRequired[list[PropertyShape]]


def read_test(data: Any) -> PropertyTest:
    """The comparison that JSON `data` states; raises RuleError."""
    if not isinstance(data, Mapping):
        raise RuleError("where", "ask_comparison")
    only(data, {"property", "comparison", "value"})
    name = text(data, "property", "ask_property", 60)
    if not _PROPERTY.fullmatch(name):
        raise RuleError("property", "bad_property")
    comparison = one_of(data, "comparison", COMPARISONS)
    value = data.get("value")
    if isinstance(value, int) and not isinstance(value, bool):
        if abs(value) > 1e15:
            raise RuleError("value", "number_too_large")
        value = float(value)
    if isinstance(value, float) and not math.isfinite(value):
        raise RuleError("value", "no_number")
    if comparison in NUMERIC and not isinstance(value, float):
        raise RuleError("value", "needs_number")
    if comparison == "contains" and not (isinstance(value, str) and value):
        raise RuleError("value", "ask_words")
    if not isinstance(value, Scalar):
        raise RuleError("value", "no_scalar")
    if isinstance(value, str) and (len(value) > 300 or "\x00" in value):
        raise RuleError("value", "too_long", most=300)
    return PropertyTest(name, cast(Comparison, comparison), value)


@dataclass(frozen=True)
class CodeEvent(Condition):
    """The site's own code said so: `clabo.mark(name, properties)`."""

    name: str
    where: tuple[PropertyTest, ...] = ()

    key: ClassVar[str] = "event"
    shape = EventShape

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"name", "where"})
        where = data.get("where") or []
        if not isinstance(where, list) or len(where) > MOST_TESTS:
            raise RuleError("where", "comparisons", most=MOST_TESTS)
        return cls(text(data, "name", "ask_event", 64), tuple(read_test(test) for test in where))

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"name": self.name} | ({"where": [t.json() for t in self.where]} if self.where else {})

    def made_of(self) -> tuple[Fact, ...]:
        """An event from code, of this name, with such properties."""
        return OfKind("mark"), Named(self.name, "event"), *self.where

    def name_words(self) -> str:
        """The event's own name."""
        return self.name

    def rehearse(self, lines: Rehearsal) -> None:
        """Do what makes the code say it, and what makes it say other things."""
        lines.add("fire", message("rehearse_code", name=self.name), "", {"event": {"name": self.name}})
        for name in [n for n in lines.events() if n != self.name][:MOST_SILENT]:
            lines.add("silent", message("rehearse_code", name=name), "", {"event": {"name": name}})
