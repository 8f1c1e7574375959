"""Excel workbooks (Office Open XML, ECMA-376): each sheet is a way to read the file."""

from __future__ import annotations

import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from datetime import date, datetime, time
from decimal import Decimal
from pathlib import Path
from typing import Any

from openpyxl import load_workbook
from openpyxl.utils.exceptions import InvalidFileException

from clabo.problems import Problem

# What a workbook may unpack to, how many sheets are looked at, and how many columns are read.
MOST_BYTES = 400 * 1024 * 1024
MOST_SHEETS = 10
MOST_COLUMNS = 300
# What openpyxl and zipfile raise over what somebody else has written, or cut.
_UNREADABLE = (
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
)
_OLD = b"\xd0\xcf\x11\xe0"


def is_mine(start: bytes) -> bool:
    """Zip archives, and the older format, which is refused with a word."""
    return start.startswith((b"PK\x03\x04", _OLD))


def ways(path: Path) -> Iterable[tuple[str, str]]:
    """Every sheet by its name."""
    with _opened(path) as book:
        return [("Excel", name) for name in book.sheetnames[:MOST_SHEETS]]


def rows(path: Path, encoding: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    """The rows of the sheet named `delimiter`, cells as a text file would say them."""
    with _opened(path) as book:
        if delimiter not in book.sheetnames:
            return
        sheet = book[delimiter]
        if not hasattr(sheet, "iter_rows"):  # a chart
            return
        for number, row in enumerate(sheet.iter_rows(max_col=MOST_COLUMNS, values_only=True), 1):
            cells = [_text(value) for value in row]
            while cells and not cells[-1]:
                cells.pop()
            yield number, cells


@contextmanager
def _opened(path: Path) -> Iterator[Any]:
    """The workbook, read as it goes and with what its formulas last gave; raises Problem."""
    with path.open("rb") as file:
        if file.read(4) == _OLD:
            raise Problem("This is a workbook of the older kind (.xls). Save it as .xlsx or CSV.", "file")
        try:
            with zipfile.ZipFile(file) as archive:
                if sum(part.file_size for part in archive.infolist()) > MOST_BYTES:
                    raise Problem(
                        "This workbook unpacks to over 400 MB. Export fewer days at a time, or CSV.", "file"
                    )
            file.seek(0)
            # From the open file: of a path it wants a certain ending, which uploads are kept without.
            book = load_workbook(file, read_only=True, data_only=True)
        except _UNREADABLE:
            raise Problem("This workbook cannot be read. Save it anew, as .xlsx or CSV.", "file") from None
        try:
            yield book
        except _UNREADABLE:
            raise Problem("This workbook is damaged. Save it anew, as .xlsx or CSV.", "file") from None
        finally:
            book.close()


def _text(value: Any) -> str:
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
