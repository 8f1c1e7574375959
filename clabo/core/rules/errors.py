"""What is wrong with a rule, and the reading of its texts and numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from clabo.core.message import Message, message

MAX_VALUE = 500


class RuleError(ValueError):
    """A rule that cannot be read. `field` says where; `told` says what is wrong and what to do."""

    def __init__(self, field: str, code: str, /, **params: Any) -> None:
        super().__init__(f"{field}: {code}")
        self.field = field
        self.told: Message = message(code, **params)


def only(data: Mapping[str, Any], allowed: set[str]) -> None:
    """Raise RuleError where `data` has other keys than `allowed`."""
    if other := set(data) - allowed:
        raise RuleError("rule", "unknown_part", part=min(other)[:60], allowed=sorted(allowed))


def text(data: Mapping[str, Any], key: str, ask: str, most: int = MAX_VALUE) -> str:
    """The non-empty text `data[key]`, trimmed; RuleError with the code `ask` where it is missing."""
    value = data.get(key)
    if not isinstance(value, str) or not value.strip():
        raise RuleError(key, ask)
    return _fitting(value, key, most)


def maybe_text(data: Mapping[str, Any], key: str, most: int = MAX_VALUE) -> str:
    """The text `data[key]`, trimmed, or "" where it is not given."""
    value = data.get(key)
    if value is None:
        return ""
    if not isinstance(value, str):
        raise RuleError(key, "no_text")
    return _fitting(value, key, most)


def one_of(data: Mapping[str, Any], key: str, choices: tuple[str, ...]) -> str:
    """`data[key]`, which must be one of `choices`."""
    value = data.get(key)
    if value not in choices:
        raise RuleError(key, "choose_one", choices=list(choices))
    return str(value)


def _fitting(value: str, key: str, most: int) -> str:
    value = value.strip()
    if len(value) > most:
        raise RuleError(key, "too_long", most=most)
    # Neither can be stored, and half of a pair is no character.
    if "\x00" in value or any("\ud800" <= c <= "\udfff" for c in value):
        raise RuleError(key, "nul")
    return value


def whole(data: Mapping[str, Any], key: str, low: int, high: int) -> int:
    """The whole number `data[key]` between `low` and `high`; RuleError where it is none."""
    value = data.get(key)
    if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
        raise RuleError(key, "how_many", what=key, low=low, high=high)
    return value
