"""Pages that a test of content is on beyond its own: addresses that compare so with a text.

JSON is a list of objects with `match` and `value`. The tag compares by the same (tag/src/place.ts); a page that any of
them means is one.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Literal, get_args
from urllib.parse import unquote

from clabo.core.rules.errors import RuleError, one_of, only, text

Match = Literal["equals", "begins", "contains"]
MATCHES: tuple[Match, ...] = get_args(Match)
MOST_PLACES = 10
# What decodeURI leaves as it is (ECMA-262, 19.2.6.2).
_RESERVED = re.compile("%(?:2[346BCF]|3[ABDF]|40)", re.IGNORECASE)
# What means something in a regular expression of JavaScript.
_MEANING = re.compile(r"[\\^$.*+?()\[\]{}|/]")


@dataclass(frozen=True, slots=True)
class Place:
    """Pages whose host and path equal, begin with or contain a text."""

    match: Match
    value: str

    def holds(self, host: str, path: str) -> bool:
        """Whether the page, as it is stored, is one.

        >>> Place("begins", "shop.example/kit").holds("shop.example", "/kits/a")
        True
        """
        here = host + path
        if self.match == "equals":
            return here == self.value
        return here.startswith(self.value) if self.match == "begins" else self.value in here

    def json(self) -> dict[str, str]:
        """As it is read."""
        return {"match": self.match, "value": self.value}

    def pattern(self) -> str:
        """A regular expression in JavaScript that no fewer host-and-path texts meet, as a browser shows them without a
        query and decoded by decodeURI, without slashes at the end.
        """
        kept = self.value.split("?")[0].split("#")[0]
        if self.match == "contains":
            # It may begin within what stands for another character.
            kept = re.sub("^[0-9A-F]{1,2}", "", kept)
        decoded = "".join(
            part if _RESERVED.fullmatch(part) else unquote(part, errors="replace")
            for part in re.split(f"({_RESERVED.pattern})", kept, flags=re.IGNORECASE)
        )
        # A text that ends within a character tells no more than what comes before that.
        if "\ufffd" in decoded and self.match != "equals":
            several = decoded.split("\ufffd")
            decoded = several[0] if self.match == "begins" else max(several, key=len)
        said = _MEANING.sub(r"\\\g<0>", decoded.rstrip("/"))
        start = "" if self.match == "contains" else "^"
        return f"{start}{said}{'$' if self.match == 'equals' else ''}"


def read_places(data: Any) -> list[Place]:
    """The places that JSON states.

    Parameters
    ----------
    data : object
        Whatever came as JSON.

    Returns
    -------
    list of Place

    Raises
    ------
    RuleError
        Its `field` is the path to what is wrong, such as `[0].value`.

    Examples
    --------
    >>> read_places([{"match": "contains", "value": "/kit"}])
    [Place(match='contains', value='/kit')]
    """
    if not isinstance(data, Sequence) or isinstance(data, str | bytes):
        raise RuleError("", "places_no_list")
    if len(data) > MOST_PLACES:
        raise RuleError("", "places_too_many", most=MOST_PLACES)
    found = []
    for place, one in enumerate(data):
        if not isinstance(one, Mapping):
            raise RuleError(f"[{place}]", "needs_object", key="place")
        try:
            only(one, {"match", "value"})
            found.append(Place(one_of(one, "match", MATCHES), text(one, "value", "places_ask_value", 400)))  # type: ignore[arg-type]
        except RuleError as error:
            field = "" if error.field == "rule" else f".{error.field}"
            raise RuleError(f"[{place}]{field}", error.told.code, **error.told.params) from None
        if any(ord(c) <= 32 for c in found[-1].value):
            raise RuleError(f"[{place}].value", "places_no_value")
    return found
