"""Excel workbooks (Office Open XML, ECMA-376): each sheet is a way to read the file.

They are read by a process of its own with limits of time and memory (workbook_reader.py).
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

from django.conf import settings

from clabo.platform.problems import Problem

_OLD = b"\xd0\xcf\x11\xe0"
_REASONS = {
    "unreadable": "This workbook is damaged, or none. Save it anew, as .xlsx or CSV.",
    "too_large": "This workbook unpacks to over 400 MB. Export fewer days at a time, or CSV.",
    "too_many_rows": "A sheet of this workbook has more rows than a sheet can have, or thousands of blank ones between "
    "two others. Delete the blank rows, or save it as CSV.",
    "too_slow": "This workbook takes too long to read for its size. Save it anew, as .xlsx or CSV.",
}


def is_mine(start: bytes) -> bool:
    """Zip archives, and the older format, which is refused with a word."""
    return start.startswith((b"PK\x03\x04", _OLD))


def ways(path: Path) -> Iterable[tuple[str, str]]:
    """Every sheet by its name."""
    with _reading(path) as lines:
        return [("Excel", name) for name in next(lines)]


def rows(path: Path, encoding: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    """The rows of the sheet named `delimiter` that are not blank, cells as a text file would say them."""
    with _reading(path, delimiter) as lines:
        next(lines)
        yield from lines


@contextmanager
def _reading(path: Path, *sheet: str) -> Iterator[Iterator[Any]]:
    """What the reader says, line by line, as long as somebody listens; raises Problem."""
    with path.open("rb") as file:
        if file.read(4) == _OLD:
            raise Problem("This is a workbook of the older kind (.xls). Save it as .xlsx or CSV.", "file")
    # Nothing of the server's secrets is in what reads a file of somebody else's.
    environment = {"PATH": os.defpath, "PYTHONPATH": str(settings.BASE_DIR), "PYTHONIOENCODING": "utf-8"}
    command = [sys.executable, "-m", "clabo.use.spend.formats.workbook_reader", str(path.resolve()), *sheet]
    reader = subprocess.Popen(
        command, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, env=environment
    )
    try:
        yield _said(reader)
    finally:
        reader.kill()
        reader.wait()
        if reader.stdout:
            reader.stdout.close()


def _said(reader: subprocess.Popen[bytes]) -> Iterator[Any]:
    assert reader.stdout
    for line in reader.stdout:
        try:
            said = json.loads(line)
        except ValueError:  # it was ended in the middle of it
            break
        if isinstance(said, dict):
            if said.get("done"):
                return
            raise Problem(_REASONS.get(said.get("error", ""), _REASONS["unreadable"]), "file")
        yield said
    raise Problem(_REASONS["too_slow"], "file")
