"""Bodies of requests: JSON that nothing behind has to be afraid of."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

# Definitions, rules and paths are nested a few times; what recurses over them must not run out of stack.
MOST_DEPTH = 60


def read_json(body: bytes, decode: Callable[[bytes], Any] = msgspec.json.decode) -> Any:
    """What a body says; raises ValueError where it is no JSON in UTF-8, or nested deeper than MOST_DEPTH.

    >>> read_json(b'{"a": [1]}')
    {'a': [1]}
    >>> read_json(b"[" * 100 + b"]" * 100)
    Traceback (most recent call last):
    ...
    ValueError: nested more than 60 deep
    """
    try:
        found = decode(body)
    except RecursionError:
        raise ValueError(f"nested more than {MOST_DEPTH} deep") from None
    left: list[tuple[Any, int]] = [(found, 1)]
    while left:
        value, depth = left.pop()
        if isinstance(value, dict | list):
            if depth > MOST_DEPTH:
                raise ValueError(f"nested more than {MOST_DEPTH} deep")
            left += [(inner, depth + 1) for inner in (value.values() if isinstance(value, dict) else value)]
    return found
