"""What the two conditions on the page's address share (definitions: "Page")."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, Self, cast

import re2
from typing_extensions import TypedDict

from clabo.core.pages.addresses import AS_WRITTEN, Address, AddressError, PageReading
from clabo.core.rules.condition import Condition
from clabo.core.rules.errors import RuleError, one_of, only, text
from clabo.core.rules.facts import MATCHES, Match, PageFits, pattern


class AddressShape(TypedDict):
    """How an address is held against a text."""

    match: Match
    value: str


@dataclass(frozen=True)
class AddressCondition(Condition):
    """An address held against text; see `PageFits`."""

    match: Match
    value: str

    shape = AddressShape

    @property
    def page(self) -> PageFits:
        """What the page must fulfil."""
        return PageFits(self.match, self.value)

    @classmethod
    def read(cls, data: Mapping[str, Any]) -> Self:
        """The condition that JSON `data` states; raises RuleError."""
        only(data, {"match", "value"})
        match = cast(Match, one_of(data, "match", MATCHES))
        value = text(data, "value", "ask_address")
        if match == "pattern":
            try:
                pattern(value)
            except re2.error as error:
                detail = error.args[0] if error.args else b""
                reason = detail.decode() if isinstance(detail, bytes) else str(detail)
                raise RuleError("value", "bad_pattern", reason=reason) from None
        elif match in ("equals", "begins"):
            value = _as_address(value, match == "equals", AS_WRITTEN)
        return cls(match, value)

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"match": self.match, "value": self.value}

    def on(self, reading: PageReading) -> Self:
        """With what tells pages apart on that site, and nothing else: as its pages are stored."""
        if self.match not in ("equals", "begins"):
            return self
        return replace(self, value=_as_address(self.value, self.match == "equals", reading))


def exactly(page: Address) -> dict[str, Any]:
    """JSON of the condition that just this page is reached."""
    return {"page": {"match": "equals", "value": str(page)}}


def _as_address(value: str, exact: bool, reading: PageReading) -> str:
    """What was typed or pasted, in the form that pages are stored in."""
    try:
        if value.startswith("/"):
            found = reading.page("http://host.invalid" + value).path
        else:
            found = str(reading.page(value if "://" in value else "https://" + value))
    except AddressError as error:
        raise RuleError("value", "no_address", why=error.told) from None
    # "begins with /guide/" must not catch /guides: the slash was typed on purpose.
    path, mark, rest = _cut(found)
    if not exact and _cut(value)[0].endswith("/") and not path.endswith("/") and not mark:
        path += "/"
    return path + mark + rest


def _cut(address: str) -> tuple[str, str, str]:
    """The path with its host, the first of "?" and "#", and what comes after it."""
    place = min((at for at in map(address.find, "?#") if at >= 0), default=len(address))
    return address[:place], address[place : place + 1], address[place + 1 :]
