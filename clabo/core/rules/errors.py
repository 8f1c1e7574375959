"""What is wrong with a rule, and the reading of its texts and numbers."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

MAX_VALUE = 500


class RuleError(ValueError):
    """A rule that cannot be read. `field` says where; the message says what to do."""

    def __init__(self, field: str, message: str) -> None:
        super().__init__(message)
        self.field = field


def only(data: Mapping[str, Any], allowed: set[str], what: str) -> None:
    """Raise RuleError where `data` has other keys than `allowed`."""
    if other := set(data) - allowed:
        raise RuleError(
            "rule", f"{what} knows nothing of “{min(other)[:60]}”. It takes {', '.join(sorted(allowed))}."
        )


def text(data: Mapping[str, Any], key: str, ask: str, most: int = MAX_VALUE) -> str:
    """The non-empty text `data[key]`, trimmed; RuleError with `ask` where it is missing."""
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
        raise RuleError(key, "This must be a text.")
    return _fitting(value, key, most)


def _fitting(value: str, key: str, most: int) -> str:
    value = value.strip()
    if len(value) > most:
        raise RuleError(key, f"Keep this under {most} characters.")
    if "\x00" in value:
        raise RuleError(key, "This has a character that no text may contain (NUL).")
    return value


def whole(data: Mapping[str, Any], key: str, low: int, high: int, ask: str) -> int:
    """The whole number `data[key]` between `low` and `high`; RuleError with `ask` where it is none."""
    value = data.get(key)
    if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
        raise RuleError(key, ask)
    return value
