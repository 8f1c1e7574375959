"""Runs Clabo's processes, starts again what dies, and ends only when told to.

usage: supervise.py --state FOLDER --postgres SCRIPT NAME COMMAND... [-- NAME COMMAND...]...

Every process ends with this one, even when this one is killed by force: the kernel sees to it (prctl(2),
PR_SET_PDEATHSIG). The database lives on by itself; it is looked at, and started again when it is gone.
"""

from __future__ import annotations

import ctypes
import signal
import subprocess
import sys
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

_PR_SET_PDEATHSIG = 1
_libc = ctypes.CDLL(None, use_errno=True)
# Seconds before a process that keeps dying is started again; it is thought well after so long.
FIRST_PAUSE, LONGEST_PAUSE, WELL_AFTER = 0.5, 30.0, 30.0
LOOK_SECONDS, DATABASE_SECONDS, GRACE_SECONDS = 0.2, 3.0, 8.0

stopping = threading.Event()


def say(text: str) -> None:
    """A line with the time, for whoever watches."""
    print(f"{time.strftime('%H:%M:%S')}  {text}", file=sys.stderr, flush=True)


def _end_with_parent() -> None:
    _libc.prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


@dataclass
class Kept:
    """One process that is kept running."""

    name: str
    command: list[str]
    process: subprocess.Popen[bytes] | None = None
    pause: float = FIRST_PAUSE
    started: float = 0.0
    again_at: float = field(default=0.0)

    def look(self) -> None:
        """Start it, or start it again, when it is time."""
        now = time.monotonic()
        if self.process and self.process.poll() is None:
            return
        if self.process:
            code = self.process.returncode
            why = f"was ended by signal {-code}" if code < 0 else f"ended with code {code}"
            if now - self.started > WELL_AFTER:
                self.pause = FIRST_PAUSE
            self.again_at, self.process = now + self.pause, None
            say(f"{self.name} {why}; it is started again in {self.pause:g} s")
            self.pause = min(LONGEST_PAUSE, self.pause * 2)
        if now >= self.again_at:
            # Its own group: Ctrl-C at the terminal reaches this process alone, which then ends the others in turn.
            self.process = subprocess.Popen(self.command, preexec_fn=_end_with_parent, process_group=0)
            self.started = now

    def stop(self) -> None:
        """Ask it to end."""
        if self.process and self.process.poll() is None:
            self.process.terminate()

    def wait(self, until: float) -> None:
        """Wait for its end; past that time it is killed."""
        if self.process:
            try:
                self.process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                self.process.kill()
                self.process.wait()


def _watch_database(script: str) -> None:
    while not stopping.wait(DATABASE_SECONDS):
        state = subprocess.run(["bash", script, "status"], capture_output=True, text=True, check=False)
        if state.returncode and not stopping.is_set():
            say("the database is gone; it is started again")
            subprocess.run(["bash", script, "start"], check=False)


def main(words: list[str]) -> int:
    state, script = Path(words[words.index("--state") + 1]), words[words.index("--postgres") + 1]
    rest = words[4:]
    kept: list[Kept] = []
    while rest:
        end = rest.index("--") if "--" in rest else len(rest)
        kept.append(Kept(rest[0], rest[1:end]))
        rest = rest[end + 1 :]
    _end_with_parent()
    for each in (signal.SIGTERM, signal.SIGINT, signal.SIGHUP):
        signal.signal(each, lambda *_: stopping.set())
    (state / "processes").mkdir(parents=True, exist_ok=True)
    threading.Thread(target=_watch_database, args=(script,), daemon=True).start()
    told: dict[str, int] = {}
    while not stopping.is_set():
        for one in kept:
            one.look()
            if one.process and told.get(one.name) != one.process.pid:
                told[one.name] = one.process.pid
                (state / "processes" / one.name).write_text(str(one.process.pid))
        stopping.wait(LOOK_SECONDS)
    for one in kept:
        one.stop()
    until = time.monotonic() + GRACE_SECONDS
    for one in kept:
        one.wait(until)
        (state / "processes" / one.name).unlink(missing_ok=True)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
