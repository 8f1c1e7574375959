"""Lines for the log that would come too often: what fails in a loop must not fill the disk."""

from __future__ import annotations

import logging
import threading
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


class Bounded(logging.Filter):
    """Lets so many lines of one cause through in a minute, and then says how many there were besides.

    A cause is the place in the code that writes the line.
    """

    MOST = 20

    def __init__(self) -> None:
        super().__init__()
        self._lock = threading.Lock()
        # By cause, the end of its minute and how many came in it.
        self._counts: dict[tuple[str, str, int], tuple[float, int]] = {}

    def filter(self, record: logging.LogRecord) -> bool:
        """Whether the line is written; the first after a minute with too many says how many were not."""
        cause, now = (record.name, record.pathname, record.lineno), time.monotonic()
        with self._lock:
            until, count = self._counts.get(cause, (0.0, 0))
            if now >= until:
                held = max(0, count - self.MOST)
                self._counts[cause] = (now + LOG_EVERY_SECONDS, 1)
            else:
                held = 0
                self._counts[cause] = (until, count + 1)
                if count >= self.MOST:
                    return False
        if held:
            record.msg = f"{record.msg} ({held} more like it in the minute before were left out)"
        return True
