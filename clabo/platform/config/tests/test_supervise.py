"""What dies is started again; killed by force, the supervisor leaves nothing behind."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

from django.conf import settings

SLEEP = "import time; time.sleep(60)"


class Supervised(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.state = Path(folder.name)
        (self.state / "postgres.sh").write_text("exit 0\n")
        self.supervisor = subprocess.Popen(
            [
                *(sys.executable, settings.BASE_DIR / "tools" / "supervise.py", "--state", self.state),
                *("--postgres", self.state / "postgres.sh"),
                *("one", sys.executable, "-c", SLEEP, "--", "two", sys.executable, "-c", SLEEP),
            ],
            stderr=subprocess.PIPE,
            text=True,
        )
        self.addCleanup(self.supervisor.wait, 10)
        self.addCleanup(self.supervisor.kill)
        assert self.supervisor.stderr
        self.addCleanup(self.supervisor.stderr.close)
        self.until(lambda: all(self.number(name) for name in ("one", "two")))

    def number(self, name: str) -> int:
        file = self.state / "processes" / name
        return int(file.read_text() or 0) if file.exists() else 0

    def until(self, holds: Callable[[], bool]) -> None:
        end = time.monotonic() + 10
        while not holds():
            self.assertLess(time.monotonic(), end)
            time.sleep(0.05)

    def gone(self, pid: int) -> bool:
        try:
            return Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0] == "Z"
        except FileNotFoundError:
            return True

    def test_what_dies_is_started_again_and_said(self) -> None:
        first, other = self.number("one"), self.number("two")
        os.kill(first, signal.SIGKILL)
        self.until(lambda: self.number("one") not in (0, first))
        self.assertEqual(self.number("two"), other)
        self.supervisor.terminate()
        self.assertEqual(self.supervisor.wait(10), 0)
        assert self.supervisor.stderr
        self.assertIn("one was ended by signal 9; it is started again", self.supervisor.stderr.read())
        self.assertTrue(self.gone(other))

    def test_killed_by_force_it_takes_all_with_it(self) -> None:
        pids = [self.number(name) for name in ("one", "two")]
        self.supervisor.kill()
        self.until(lambda: all(map(self.gone, pids)))
