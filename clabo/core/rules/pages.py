"""Conditions on the page's address (definitions: "Page")."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, ClassVar, Literal, Self, cast, get_args
from urllib.parse import urlencode

import re2

from clabo.core.addresses import Address, AddressError, normalise
from clabo.core.rules.errors import RuleError, maybe_text, only, text
from clabo.core.rules.occurrence import IN_WORDS, Occurrence

Match = Literal["equals", "begins", "contains", "pattern"]
MATCHES: tuple[Match, ...] = get_args(Match)
HOW: dict[Match, str] = {
    "equals": "is",
    "begins": "begins with",
    "contains": "contains",
    "pattern": "fits the pattern",
}


@lru_cache(maxsize=512)
def _pattern(pattern: str) -> Any:
    options = re2.Options()
    options.log_errors = False
    options.max_mem = 1 << 20
    return re2.compile(pattern, options)


@dataclass(frozen=True, slots=True)
class _AddressTest:
    """An address held against text. Patterns are RE2 (linear time: no runaway expressions).

    A `value` that begins with "/" is held against the path on any of the site's hosts, any
    other against host and path. Upper and lower case differ in paths, as they do on the web.
    """

    match: Match
    value: str

    trigger: ClassVar[bool] = False
    key: ClassVar[str] = ""

    def fits(self, page: Address) -> bool:
        """Whether the page's address fits."""
        subject = page.path if self.value.startswith("/") else str(page)
        if self.match == "equals":
            return subject == self.value
        if self.match == "begins":
            return subject.startswith(self.value)
        if self.match == "contains":
            return self.value in str(page)
        return _pattern(self.value).search(str(page)) is not None

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"match", "value"}, "A condition on the address")
        match = data.get("match")
        if match not in MATCHES:
            raise RuleError("match", f"Choose one of {', '.join(MATCHES)}.")
        value = text(data, "value", "Say which address, for example /thank-you.")
        if match == "pattern":
            try:
                _pattern(value)
            except re2.error as error:
                detail = error.args[0] if error.args else b""
                reason = detail.decode() if isinstance(detail, bytes) else str(detail)
                raise RuleError("value", f"This pattern cannot be read: {reason}.") from None
        elif match in ("equals", "begins"):
            value = _as_address(value, exact=match == "equals")
        return cls(cast(Match, match), value)

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"match": self.match, "value": self.value}

    def _misses(self, page: Address) -> list[str]:
        return (
            []
            if self.fits(page)
            else [f"the address is {page}, this asks for one that {HOW[self.match]} {self.value}"]
        )


@dataclass(frozen=True, slots=True)
class PageReached(_AddressTest):
    """A view of a page whose normalised address fits."""

    trigger: ClassVar[bool] = True
    key: ClassVar[str] = "page"

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this, one reason a condition; empty where it does."""
        if o.kind != "view":
            return [f"this is {IN_WORDS[o.kind]}, this asks for a page view"]
        return self._misses(o.page)

    def reading(self) -> str:
        """The condition in plain English."""
        return f"a page is reached whose address {HOW[self.match]} {self.value}"


@dataclass(frozen=True, slots=True)
class OnPage(_AddressTest):
    """Whatever happens, happens on a page whose address fits."""

    key: ClassVar[str] = "on"

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this; empty where it does."""
        return self._misses(o.page)

    def reading(self) -> str:
        """The condition in plain English."""
        return f"it happens on a page whose address {HOW[self.match]} {self.value}"


@dataclass(frozen=True, slots=True)
class Parameter:
    """The address carries a query parameter, with this value or, where `value` is empty, with any."""

    name: str
    value: str

    trigger: ClassVar[bool] = False
    key: ClassVar[str] = "parameter"

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"name", "value"}, "A condition on a parameter")
        return cls(
            text(data, "name", "Name the parameter, for example step.", 100), maybe_text(data, "value", 200)
        )

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"name": self.name, "value": self.value}

    def needle(self) -> str:
        """What "&" + query + "&" contains exactly where this is met (see `canonical_query`)."""
        if self.value:
            return f"&{urlencode([(self.name, self.value)])}&"
        return "&" + urlencode([(self.name, "")])

    def misses(self, o: Occurrence) -> list[str]:
        """Why `o` does not meet this; empty where it does."""
        if self.needle() in f"&{o.query}&":
            return []
        asked = f"{self.name}={self.value}" if self.value else self.name
        return [f"the address has no parameter {asked}"]

    def reading(self) -> str:
        """The condition in plain English."""
        if self.value:
            return f"the address has the parameter {self.name} with the value {self.value}"
        return f"the address has the parameter {self.name}"


def _as_address(value: str, exact: bool) -> str:
    """What was typed or pasted, in the form that pages are stored in."""
    try:
        if value.startswith("/"):
            found = normalise("http://host.invalid" + value).path
        else:
            found = str(normalise(value if "://" in value else "https://" + value))
    except AddressError as error:
        raise RuleError("value", f"This is not an address: {error}.") from None
    # "begins with /guide/" must not catch /guides: the slash was typed on purpose.
    if not exact and value.endswith("/") and not found.endswith("/"):
        found += "/"
    return found
