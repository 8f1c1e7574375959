"""Reading a spend file row by row, whatever wrote it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sized
from dataclasses import dataclass
from itertools import islice
from pathlib import Path

from clabo.core.money.spend_headings import fields_of
from clabo.platform.problems import Problem
from clabo.use.spend.formats import delimited, workbook
from clabo.use.spend.formats.format import Format

# The first whose file it is reads it; the last takes whatever is left.
FORMATS: tuple[Format, ...] = (workbook, delimited)
SAMPLE_ROWS = 500
HEAD_WITHIN = 10


@dataclass(frozen=True, slots=True)
class Layout:
    """How a file is written. `encoding` and `delimiter` are its format's; `head_line` is the line of the column heads, from 1."""

    encoding: str
    delimiter: str
    head_line: int
    head: list[str]


def look(path: Path, known: Callable[[list[str]], Sized] = fields_of) -> tuple[Layout, list[list[str]]]:
    """The file's layout and its first rows; raises Problem where it is no table.

    Its head is the line of which `known` recognises most.
    """
    form = _format_of(path)
    best: tuple[int, int, Layout] | None = None
    for encoding, delimiter in form.ways(path):
        for number, row in islice(form.rows(path, encoding, delimiter), HEAD_WITHIN):
            score = (len(known(row)), len(row))
            if len(row) > 1 and (best is None or score > best[:2]):
                best = (*score, Layout(encoding, delimiter, number, [cell.strip() for cell in row]))
    if best is None:
        raise Problem(
            "No columns were found. Such a file has a line of column heads, and commas, semicolons or tabs; or it is an Excel file (.xlsx).",
            "file",
        )
    layout = best[2]
    return layout, [row for _, row in islice(rows(path, layout), SAMPLE_ROWS)]


def rows(path: Path, layout: Layout) -> Iterator[tuple[int, list[str]]]:
    """(line number, cells) of every row below the head that is not blank."""
    for number, row in _format_of(path).rows(path, layout.encoding, layout.delimiter):
        if number > layout.head_line and any(cell.strip() for cell in row):
            yield number, row


def _format_of(path: Path) -> Format:
    try:
        with path.open("rb") as file:
            start = file.read(8)
    except FileNotFoundError:
        raise Problem("This file is not kept any more. Send it again.", "file", 409) from None
    return next(each for each in FORMATS if each.is_mine(start))
