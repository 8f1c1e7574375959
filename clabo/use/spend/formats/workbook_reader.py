"""A process of its own that reads an Excel workbook which somebody else has written: `python -m … FILE [SHEET]`.

Whatever the file does to what reads it ends with this process: time and memory are limited before it is opened. It
writes lines of JSON: the names of the sheets, then each row as its number and its cells; or one object with an error.
"""

from __future__ import annotations

import json
import resource
import sys
import zipfile
import zlib
from collections.abc import Iterator
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

from openpyxl import load_workbook
from openpyxl.utils.exceptions import InvalidFileException

# What a workbook may unpack to, how many sheets are looked at, and how many columns are read.
MOST_BYTES = 400 * 1024 * 1024
MOST_SHEETS = 10
MOST_COLUMNS = 300
# As many rows as a sheet can have (ECMA-376, as Excel writes it); after so many blank ones in a row nothing is looked for.
MOST_ROWS = 1_048_576
MOST_BLANK = 10_000
# Seconds of a processor: so many, and so many more for each megabyte of the file.
SECONDS, SECONDS_FOR_MB = 10, 20
MEMORY = 2 << 30
# What openpyxl and zipfile raise over what somebody else has written, or cut.
UNREADABLE = (
    zipfile.BadZipFile,
    InvalidFileException,
    KeyError,
    ValueError,
    TypeError,
    IndexError,
    AttributeError,
    OSError,
    SyntaxError,
    EOFError,
    zlib.error,
    RecursionError,
    NotImplementedError,
)


class Unreadable(Exception):
    """The file cannot be read; its text is the error's name."""


def limit(path: Path) -> None:
    """Bound what this process may take."""
    seconds = SECONDS + SECONDS_FOR_MB * path.stat().st_size // (1 << 20)
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds + 1))
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))


def read(path: Path, sheet: str | None) -> Iterator[object]:
    """The names of the sheets; then, with a sheet, its rows. Raises Unreadable."""
    try:
        with zipfile.ZipFile(path) as archive:
            if sum(part.file_size for part in archive.infolist()) > MOST_BYTES:
                raise Unreadable("too_large")
        with path.open("rb") as file:
            # From the open file: of a path it wants a certain ending, which uploads are kept without.
            book = load_workbook(file, read_only=True, data_only=True)
            yield book.sheetnames[:MOST_SHEETS]
            if sheet in book.sheetnames and hasattr(book[sheet], "iter_rows"):  # else it is a chart
                yield from _rows(book[sheet])
    except UNREADABLE:
        raise Unreadable("unreadable") from None
    except MemoryError:
        raise Unreadable("too_large") from None


def _rows(sheet: Any) -> Iterator[tuple[int, list[str]]]:
    blank = 0
    for number, row in enumerate(sheet.iter_rows(max_col=MOST_COLUMNS, values_only=True), 1):
        cells = [text(value) for value in row]
        while cells and not cells[-1]:
            cells.pop()
        blank = 0 if cells else blank + 1
        if number > MOST_ROWS or blank > MOST_BLANK:
            raise Unreadable("too_many_rows")
        if cells:
            yield number, cells


def text(value: Any) -> str:
    """A cell as text: days by ISO 8601, numbers with a point and without exponents."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "TRUE" if value else "FALSE"
    if isinstance(value, datetime):
        return value.date().isoformat() if value.time() == time() else value.isoformat(" ")
    if isinstance(value, date | time):
        return value.isoformat()
    if isinstance(value, float):
        return format(Decimal(repr(value)), "f").removesuffix(".0")
    return str(value).replace("\x00", "")


def main(arguments: list[str]) -> None:
    """Read, and write lines until whoever listens has enough."""
    path = Path(arguments[0])
    limit(path)
    try:
        for line in read(path, arguments[1] if len(arguments) > 1 else None):
            sys.stdout.write(json.dumps(line) + "\n")
        sys.stdout.write('{"done": true}\n')
    except BrokenPipeError:
        # Whoever listens has enough.
        sys.stderr.close()
    except Unreadable as error:
        sys.stdout.write(json.dumps({"error": str(error)}) + "\n")
    except Exception:
        sys.stdout.write('{"error": "unreadable"}\n')


if __name__ == "__main__":
    main(sys.argv[1:])
