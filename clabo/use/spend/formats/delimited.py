"""Text files with a delimiter, in whatever encoding."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterable, Iterator
from pathlib import Path

from clabo.platform.problems import Problem

_DELIMITERS = (",", ";", "\t", "|")
MAX_CELL = 20_000


def is_mine(start: bytes) -> bool:
    """Whatever nobody else takes."""
    return True


def ways(path: Path) -> Iterable[tuple[str, str]]:
    """Its encoding, with every delimiter."""
    encoding = _encoding(path)
    return [(encoding, delimiter) for delimiter in _DELIMITERS]


def rows(path: Path, encoding: str, delimiter: str) -> Iterator[tuple[int, list[str]]]:
    """Every row as the csv module reads it; raises Problem naming the line."""
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
        file.seek(0)
        decoder = codecs.getincrementaldecoder("utf-8")()
        try:
            while chunk := file.read(1 << 16):
                decoder.decode(chunk)
            decoder.decode(b"", final=True)
        except UnicodeDecodeError:
            return "latin-1"
    return "utf-8"
