"""Lines for the log are bounded by their cause."""

from __future__ import annotations

import logging
from unittest import TestCase
from unittest.mock import patch

from clabo.platform.logs import Bounded


class Causes(TestCase):
    def record(self, line: int, text: str = "away") -> logging.LogRecord:
        return logging.LogRecord("clabo.x", logging.ERROR, "x.py", line, text, None, None)

    def test_so_many_a_minute_and_then_how_many_more_there_were(self) -> None:
        bounded = Bounded()
        with patch("clabo.platform.logs.time.monotonic") as clock:
            clock.return_value = 100.0
            written = [bounded.filter(self.record(1)) for _ in range(2300)]
            self.assertEqual((sum(written), written[: Bounded.MOST]), (Bounded.MOST, [True] * Bounded.MOST))
            # Another cause is not held back by it.
            self.assertTrue(bounded.filter(self.record(2)))
            clock.return_value = 161.0
            after = self.record(1)
            self.assertTrue(bounded.filter(after))
            self.assertIn(f"{2300 - Bounded.MOST} more like it", after.getMessage())
            quiet = self.record(2)
            self.assertTrue(bounded.filter(quiet))
            self.assertEqual(quiet.getMessage(), "away")
