"""A table as a file: CSV (RFC 4180), JSON, Excel (ECMA-376) and Parquet, written as its rows are read."""

from __future__ import annotations

import csv
import io
import json
import re
import tempfile
from collections.abc import Callable, Iterator
from datetime import UTC, date, datetime
from decimal import Decimal
from itertools import islice
from typing import Any, Literal

import pyarrow as pa
import pyarrow.parquet as pq
from openpyxl import Workbook
from openpyxl.cell import WriteOnlyCell

from clabo.platform.outputs.tables import Column, Kind, Table, Value

Format = Literal["csv", "xlsx", "json", "parquet"]
MEDIA: dict[Format, str] = {
    "csv": "text/csv; charset=utf-8",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
    "json": "application/json",
    "parquet": "application/vnd.apache.parquet",
}
_ROWS_AT_ONCE = 2000
# What a spreadsheet would take for the beginning of a formula, or skip on its way to one.
_FORMULA = ("=", "+", "-", "@", "\t", "\r", "\n", "＝", "＋", "－", "＠")
_SHOWN: dict[Kind, str] = {"count": "#,##0", "amount": "#,##0.00", "number": "0.0000", "day": "yyyy-mm-dd"}
# XML 1.0 §2.2.
_NOT_IN_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")
# A cell of a worksheet holds no more.
_MOST_TEXT = 32_000


def write(table: Table, form: Format) -> Iterator[bytes]:
    """The file, piece by piece."""
    return _WRITERS[form](table)


def harmless(text: str) -> str:
    """The text so that no spreadsheet takes it for a formula."""
    return f"'{text}" if text.startswith(_FORMULA) else text


def _csv(table: Table) -> Iterator[bytes]:
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow([harmless(c.key) for c in table.columns])
    for place, row in enumerate(table.rows, 1):
        writer.writerow([_written(v) for v in row])
        if place % _ROWS_AT_ONCE == 0:
            yield out.getvalue().encode()
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode()


def _written(value: Value) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, str):
        return harmless(value)
    if isinstance(value, Decimal):
        return format(value.normalize(), "f")
    return value.isoformat() if isinstance(value, date) else repr(value)


def _json(table: Table) -> Iterator[bytes]:
    head = {
        "name": table.name,
        "about": dict(table.about),
        "columns": [{"key": c.key, "kind": c.kind, "means": c.means} for c in table.columns],
    }
    yield (json.dumps(head, ensure_ascii=False)[:-1] + ', "rows": [').encode()
    keys = [c.key for c in table.columns]
    mark = "\n"
    for row in table.rows:
        text = json.dumps(dict(zip(keys, map(_plain, row), strict=True)), ensure_ascii=False)
        yield (mark + text).encode()
        mark = ",\n"
    yield b"\n]}\n"


def _plain(value: Value) -> Any:
    """For JSON: amounts stay exact, as text."""
    if isinstance(value, Decimal):
        return format(value.normalize(), "f")
    return value.isoformat() if isinstance(value, date) else value


def _xlsx(table: Table) -> Iterator[bytes]:
    # Rows go to a file of the sheet's own as they come: the workbook is never in memory as a whole.
    book = Workbook(write_only=True)
    sheet = book.create_sheet("Table")
    sheet.freeze_panes = "A2"
    sheet.append([_text(sheet, c.key) for c in table.columns])
    for row in table.rows:
        sheet.append([_cell(sheet, c, v) for c, v in zip(table.columns, row, strict=True)])
    about = book.create_sheet("About")
    for name, text in [("Table", table.name), *table.about]:
        about.append([_text(about, name), _text(about, text)])
    about.append([])
    about.append([_text(about, "Column"), _text(about, "What it means")])
    for column in table.columns:
        about.append([_text(about, column.key), _text(about, column.means)])
    with tempfile.TemporaryFile() as file:
        book.save(file)
        yield from _pieces(file)


def _pieces(file: Any) -> Iterator[bytes]:
    file.seek(0)
    while piece := file.read(1 << 16):
        yield piece


def _text(sheet: Any, text: str) -> Any:
    """A cell that is text whatever it begins with."""
    cell = WriteOnlyCell(sheet, value="")
    cell._value = _NOT_IN_XML.sub("", text)[:_MOST_TEXT]
    cell.data_type = "s"
    return cell


def _cell(sheet: Any, column: Column, value: Value) -> Any:
    if isinstance(value, str):
        return _text(sheet, value)
    if value is None:
        return None
    if isinstance(value, datetime):
        # Worksheets know no time zones.
        value = value.astimezone(UTC).replace(tzinfo=None)
    cell = WriteOnlyCell(sheet, value=value)
    if shown := _SHOWN.get(column.kind):
        cell.number_format = shown
    return cell


_TYPES: dict[Kind, Any] = {
    "text": pa.string(),
    "count": pa.int64(),
    "amount": pa.decimal128(38, 9),
    "number": pa.float64(),
    "yes": pa.bool_(),
    "day": pa.date32(),
    "moment": pa.timestamp("us", "UTC"),
}


def _parquet(table: Table) -> Iterator[bytes]:
    schema = pa.schema(
        [
            pa.field(c.key, _TYPES[c.kind], metadata={"means": c.means} if c.means else None)
            for c in table.columns
        ],
        metadata={"name": table.name, **dict(table.about)},
    )
    rows = iter(table.rows)
    with tempfile.TemporaryFile() as file:
        with pq.ParquetWriter(file, schema) as writer:
            while some := list(islice(rows, _ROWS_AT_ONCE * 10)):
                columns = zip(*some, strict=True)
                arrays = [pa.array(_scaled(v, f.type), f.type) for v, f in zip(columns, schema, strict=True)]
                writer.write_batch(pa.record_batch(arrays, schema=schema))
        yield from _pieces(file)


def _scaled(values: tuple[Value, ...], kind: Any) -> list[Any]:
    if not pa.types.is_decimal(kind):
        return list(values)
    return [None if v is None else Decimal(v).quantize(Decimal("1e-9")) for v in values]  # type: ignore[arg-type]


_WRITERS: dict[Format, Callable[[Table], Iterator[bytes]]] = {
    "csv": _csv,
    "xlsx": _xlsx,
    "json": _json,
    "parquet": _parquet,
}
