"""How long tests take: noted in each run, and what an earlier run has noted for the order of the next.

`CLABO_TEST_TIMES=clabo/testing/durations.json ./test` records anew what the order goes by.
"""

from __future__ import annotations

import json
import os
import tempfile
import unittest
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from itertools import chain, zip_longest
from pathlib import Path

RECORDED = Path(__file__).with_suffix(".json")
SHOWN = 10
# A class that computes less than this part of its time mostly waits: for a browser, or for a clock.
WAITS = 0.5
_PLACE = "CLABO_TEST_NOTES"


@contextmanager
def noted() -> Iterator[None]:
    """Have all processes of this run note their tests' times in one file, which is gone afterwards."""
    with tempfile.TemporaryDirectory(prefix="clabo-test-") as folder:
        os.environ[_PLACE] = str(Path(folder) / "times")
        try:
            yield
            if place := os.environ.get("CLABO_TEST_TIMES"):
                Path(place).write_text(json.dumps(_by_class(), indent=1, sort_keys=True) + "\n")
        finally:
            del os.environ[_PLACE]


def note(test: str, seconds: float, worked: float) -> None:
    """Note that a test took so many seconds, and how many of them its process worked."""
    if place := os.environ.get(_PLACE):
        with Path(place).open("a") as file:
            file.write(f"{seconds:.2f} {worked:.2f} {test}\n")


def _noted() -> list[tuple[float, float, str]]:
    place = Path(os.environ[_PLACE])
    rows = [line.split(" ", 2) for line in place.read_text().splitlines()] if place.exists() else []
    return [(float(took), float(worked), name) for took, worked, name in rows]


def slowest() -> list[str]:
    """Lines that say which of the noted tests took longest."""
    longest = sorted(_noted(), reverse=True)[:SHOWN]
    return ["", "Slowest:", *(f"{took:7.1f} s  {name}" for took, _, name in longest)] if longest else []


def _by_class() -> dict[str, list[float]]:
    """By class: seconds, and seconds of work."""
    found: defaultdict[str, list[float]] = defaultdict(lambda: [0.0, 0.0])
    for took, worked, name in _noted():
        of = found[name.rpartition(".")[0]]
        of[0] += took
        of[1] += worked
    return {name: [round(took, 1), round(worked, 1)] for name, (took, worked) in found.items()}


def ordered(suites: list[unittest.TestSuite]) -> list[unittest.TestSuite]:
    """Classes' suites: the longest first, one that waits and one that computes in turn; unknown ones in between."""
    known: dict[str, list[float]] = json.loads(RECORDED.read_text()) if RECORDED.exists() else {}
    unknown = [1.0, 1.0]

    def times(suite: unittest.TestSuite) -> list[float]:
        first = next(iter(suite), None)
        kind = type(first)
        return known.get(f"{kind.__module__}.{kind.__qualname__}", unknown)

    longest = sorted(suites, key=times, reverse=True)
    waiting = [s for s in longest if times(s)[1] < WAITS * times(s)[0]]
    working = [s for s in longest if times(s)[1] >= WAITS * times(s)[0]]
    return [s for s in chain.from_iterable(zip_longest(waiting, working)) if s is not None]
