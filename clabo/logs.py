"""Lines for the log that would come too often."""

from __future__ import annotations

import time
from collections.abc import Callable

LOG_EVERY_SECONDS = 60.0


class Seldom:
    """Lets a line into the log once a minute, with how many there would have been."""

    def __init__(self, write: Callable[..., None]) -> None:
        self._write, self._next, self._held = write, 0.0, 0

    def __call__(self, message: str, *args: object) -> None:
        now = time.monotonic()
        if now < self._next:
            self._held += 1
            return
        more = f" ({self._held} more like it since the last line)" if self._held else ""
        self._next, self._held = now + LOG_EVERY_SECONDS, 0
        self._write(message + more, *args)
