"""What the core has to say: a code and what belongs into the sentence. The words are elsewhere (clabo/platform/wording)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


@dataclass(frozen=True, slots=True)
class Message:
    """Something to be said. Parameters are plain JSON, so that it can be kept; two are alike where both parts are."""

    code: str
    params: Mapping[str, Any] = field(default_factory=dict)


def message(code: str, /, **params: Any) -> Message:
    """`Message` with keyword arguments for its parameters.

    >>> message("address_too_long", most=2048)
    Message(code='address_too_long', params={'most': 2048})
    """
    return Message(code, params)
