"""What the two conditions on the page's address share (definitions: "Page")."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Self, cast

import re2
from typing_extensions import TypedDict

from clabo.core.addresses import Address, AddressError, normalise
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
            value = _as_address(value, exact=match == "equals")
        return cls(match, value)

    def json(self) -> dict[str, Any]:
        """What `read` reads."""
        return {"match": self.match, "value": self.value}


def exactly(page: Address) -> dict[str, Any]:
    """JSON of the condition that just this page is reached."""
    return {"page": {"match": "equals", "value": str(page)}}


def _as_address(value: str, exact: bool) -> str:
    """What was typed or pasted, in the form that pages are stored in."""
    try:
        if value.startswith("/"):
            found = normalise("http://host.invalid" + value).path
        else:
            found = str(normalise(value if "://" in value else "https://" + value))
    except AddressError as error:
        raise RuleError("value", "no_address", why=error.told) from None
    # "begins with /guide/" must not catch /guides: the slash was typed on purpose.
    if not exact and value.endswith("/") and not found.endswith("/"):
        found += "/"
    return found
