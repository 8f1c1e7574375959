"""Reading a delimited text file row by row, whatever wrote it."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from clabo.core.spendfile import guess_columns
from clabo.problems import Problem

_DELIMITERS = (",", ";", "\t", "|")
MAX_CELL = 20_000
SAMPLE_ROWS = 500


@dataclass(frozen=True, slots=True)
class Layout:
    """How a file is written. `head_line` is the line of the column heads, from 1."""

    encoding: str
    delimiter: str
    head_line: int
    head: list[str]


def look(path: Path) -> tuple[Layout, list[list[str]]]:
    """The file's layout and its first rows; raises Problem where it is no table."""
    encoding = _encoding(path)
    best: tuple[int, int, Layout] | None = None
    for delimiter in _DELIMITERS:
        for number, row in islice(_rows(path, encoding, delimiter), 10):
            score = (len(guess_columns(row)), len(row))
            if len(row) > 1 and (best is None or score > best[:2]):
                best = (*score, Layout(encoding, delimiter, number, [cell.strip() for cell in row]))
    if best is None:
        raise Problem(
            "No columns were found. A spend file has a line of column heads, and commas, semicolons or tabs.",
            "file",
        )
    layout = best[2]
    return layout, [row for _, row in islice(rows(path, layout), SAMPLE_ROWS)]


def rows(path: Path, layout: Layout) -> Iterator[tuple[int, list[str]]]:
    """(line number, cells) of every row below the head that is not blank."""
    for number, row in _rows(path, layout.encoding, layout.delimiter):
        if number > layout.head_line and any(cell.strip() for cell in row):
            yield number, row


def _rows(path: Path, encoding: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    csv.field_size_limit(MAX_CELL)
    with path.open(encoding=encoding, newline="") as file:
        reader = csv.reader(_without_nul(file), delimiter=delimiter)
        try:
            for row in reader:
                yield reader.line_num, row
        except csv.Error as error:
            raise Problem(
                f"Line {reader.line_num} cannot be read: {error}. Perhaps a quote is missing.", "file"
            ) from None
        except UnicodeError:
            raise Problem(
                f"After line {reader.line_num} stands what is no text ({encoding}). The file is cut off or damaged: export it again, as UTF-8 if that is offered.",
                "file",
            ) from None


def _without_nul(file: io.TextIOBase) -> Iterator[str]:
    for line in file:
        yield line.replace("\x00", "") if "\x00" in line else line


def _encoding(path: Path) -> str:
    """UTF-8 with or without a byte order mark, UTF-16 with one, else Latin-1 (which reads any bytes)."""
    with path.open("rb") as file:
        start = file.read(4)
        if start.startswith(codecs.BOM_UTF8):
            return "utf-8-sig"
        if start.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
            return "utf-16"
        if start.startswith((b"PK\x03\x04", b"\xd0\xcf\x11\xe0")):
            raise Problem("This is a spreadsheet file. Save it as CSV and import that.", "file")
        file.seek(0)
        decoder = codecs.getincrementaldecoder("utf-8")()
        try:
            while chunk := file.read(1 << 16):
                decoder.decode(chunk)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return "latin-1"
    return "utf-8"
