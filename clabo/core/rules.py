"""The language in which conversions are defined (definitions: "Conversions").

A rule is a tree of plain JSON. So far it has one kind of leaf, a page that is reached:

    {"page": {"match": "equals", "value": "brackenhive.example/thank-you"}}

`parse` turns JSON into a `Rule`; leaves and later combinations are added there and in `meets`,
so that a stored rule stays readable. Patterns are RE2 (linear time: no runaway expressions).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, Literal, Protocol, TypeVar, cast, get_args

import re2

from clabo.core.addresses import Address, AddressError, normalise

Match = Literal["equals", "begins", "contains", "pattern"]
MATCHES: tuple[Match, ...] = get_args(Match)
Counting = Literal["every", "visit", "visitor"]
COUNTINGS: tuple[Counting, ...] = get_args(Counting)
MAX_VALUE = 500


class RuleError(ValueError):
    """A rule that cannot be read. `field` says where; the message says what to do."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field


@dataclass(frozen=True, slots=True)
class PageReached:
    """A view of a page whose normalised address fits.

    A `value` that begins with "/" is held against the path on any of the site's hosts, any
    other against host and path. Upper and lower case differ in paths, as they do on the web.
    """

    match: Match
    value: str

    def fits(self, page: Address) -> bool:
        """Whether the page's address fits this leaf."""
        subject = page.path if self.value.startswith("/") else str(page)
        if self.match == "equals":
            return subject == self.value
        if self.match == "begins":
            return subject.startswith(self.value)
        if self.match == "contains":
            return self.value in str(page)
        return _pattern(self.value).search(str(page)) is not None


Rule = PageReached


@lru_cache(maxsize=512)
def _pattern(text: str) -> Any:
    options = re2.Options()
    options.log_errors = False
    options.max_mem = 1 << 20
    return re2.compile(text, options)


def parse(data: Any) -> Rule:
    """The rule that JSON `data` states. Raises RuleError naming the field and the remedy."""
    if not isinstance(data, dict) or set(data) != {"page"} or not isinstance(data["page"], dict):
        raise RuleError("rule", 'A rule is an object with one condition: {"page": {"match": …, "value": …}}.')
    page = data["page"]
    match, value = page.get("match"), page.get("value")
    if match not in MATCHES:
        raise RuleError("match", f"Choose one of {', '.join(MATCHES)}.")
    if not isinstance(value, str) or not value.strip():
        raise RuleError("value", "Say which address, for example /thank-you.")
    value = value.strip()
    if len(value) > MAX_VALUE:
        raise RuleError("value", f"Keep the address under {MAX_VALUE} characters.")
    if match == "pattern":
        try:
            _pattern(value)
        except re2.error as error:
            detail = error.args[0] if error.args else b""
            text = detail.decode() if isinstance(detail, bytes) else str(detail)
            raise RuleError("value", f"This pattern cannot be read: {text}.") from None
    elif match in ("equals", "begins"):
        value = _as_address(value, exact=match == "equals")
    return PageReached(cast(Match, match), value)


def _as_address(value: str, exact: bool) -> str:
    """What was typed or pasted, in the form that pages are stored in."""
    if value.startswith("/"):
        text = normalise("http://host.invalid" + value).path
    else:
        url = value if "://" in value else "https://" + value
        try:
            text = str(normalise(url))
        except AddressError as error:
            raise RuleError("value", f"This is not an address: {error}.") from None
    # "begins with /guide/" must not catch /guides: the slash was typed on purpose.
    if not exact and value.endswith("/") and not text.endswith("/"):
        text += "/"
    return text


def as_json(rule: Rule) -> dict[str, Any]:
    """The stored form of `rule`; `parse(as_json(rule)) == rule`."""
    return {"page": {"match": rule.match, "value": rule.value}}


def sentence(rule: Rule) -> str:
    """The rule in plain English."""
    how = {"equals": "is", "begins": "begins with", "contains": "contains", "pattern": "fits the pattern"}
    return f"a page is reached whose address {how[rule.match]} {rule.value}"


class Countable(Protocol):
    """What counting needs of a candidate event."""

    @property
    def visitor(self) -> int: ...
    @property
    def visit(self) -> int: ...


C = TypeVar("C", bound=Countable)


def count(candidates: Iterable[C], mode: Counting) -> list[C]:
    """Which of the events that meet a rule are conversions; `candidates` in time order.

    "every": all; "visit": the first of each visit; "visitor": the first of each visitor.
    """
    if mode == "every":
        return list(candidates)
    seen: set[int] = set()
    kept: list[C] = []
    for event in candidates:
        key = event.visit if mode == "visit" else event.visitor
        if key not in seen:
            seen.add(key)
            kept.append(event)
    return kept
