"""Reading what an ad channel's export says (docs/data-formats.md, "Spend files").

Text in, values or reasons out: which column is what, how days and numbers are written, and each
row's content. ColumnMapping the file itself is clabo/use/spend/files.py.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Literal, get_args

from clabo.core.message import Message, message
from clabo.core.money.spend_headings import Field, fields_of
from clabo.core.pages.addresses import AS_WRITTEN, AddressError

REQUIRED: tuple[Field, ...] = ("day", "cost")
DayOrder = Literal["ymd", "dmy", "mdy"]
DAY_ORDERS: tuple[DayOrder, ...] = get_args(DayOrder)
DecimalMark = Literal[".", ","]

_SUM_LINE = re.compile(r"\s*(grand )?(total|sum|summe|gesamt)\b", re.IGNORECASE)
_DAY = re.compile(r"\s*(\d{1,4})[-./](\d{1,2})[-./](\d{1,4})(?:[ T]\d{2}:\d{2}(?::\d{2})?)?\s*")
_NUMBER_NOISE = re.compile(r"[\s\u00a0\u202f'’]|[€$£]|\b[A-Z]{3}\b")
MAX_TEXT = 200


@dataclass(frozen=True, slots=True)
class ColumnMapping:
    """How one file is read: column numbers by field, day order, decimal mark, source of all rows."""

    columns: Mapping[Field, int]
    day_order: DayOrder
    decimal_mark: DecimalMark
    source: str = ""
    # Landing addresses that are only a path are on this host.
    host: str = ""


@dataclass(frozen=True, slots=True)
class SpendLine:
    """One good row. `landing` is an address as it is written there, in one spelling, or empty; the ad side's own count is None where it has no column."""

    day: date
    source: str
    campaign: str
    ad_group: str
    ad: str
    landing: str
    impressions: int
    clicks: int
    cost: Decimal
    conversions: Decimal | None = None
    value: Decimal | None = None
    view_conversions: Decimal | None = None


@dataclass(frozen=True, slots=True)
class BadRow:
    """Why a row cannot be taken in: the field, and what to do."""

    field: str
    told: Message


@dataclass(slots=True)
class Guess:
    """A reading proposed from the head and some rows; `doubts` are fields to look at."""

    reading: ColumnMapping
    doubts: list[str] = field(default_factory=list)


def guess_reading(
    head: Sequence[str],
    rows: Sequence[Sequence[str]],
    host: str = "",
    known: Mapping[Field, int] | None = None,
) -> Guess:
    """How a file with this head and these first rows is probably meant; `known` are its columns, where they are."""
    columns = fields_of(head) if known is None else dict(known)
    doubts: list[str] = [name for name in REQUIRED if name not in columns]
    order, sure = day_order_of(_cells(rows, columns.get("day")))
    if not sure:
        doubts.append("day_order")
    mark, sure = decimal_mark_of(_cells(rows, columns.get("cost")))
    if not sure:
        doubts.append("decimal_mark")
    return Guess(ColumnMapping(columns, order, mark, host=host), doubts)


def _cells(rows: Sequence[Sequence[str]], place: int | None) -> list[str]:
    return [] if place is None else [row[place] for row in rows if place < len(row) and row[place].strip()]


def day_order_of(cells: Sequence[str]) -> tuple[DayOrder, bool]:
    """The order of day, month and year in these cells, and whether they settle it."""
    parts = [tuple(map(int, m.groups())) for cell in cells if (m := _DAY.fullmatch(cell))]
    if not parts or any(p[0] > 31 for p in parts):
        return "ymd", bool(parts)
    if any("." in cell for cell in cells) or any(p[0] > 12 for p in parts):
        return "dmy", True
    if any(p[1] > 12 for p in parts):
        return "mdy", True
    return "dmy", False


def decimal_mark_of(cells: Sequence[str]) -> tuple[DecimalMark, bool]:
    """The decimal mark of these cells, and whether they settle it."""
    for cell in cells:
        text = _NUMBER_NOISE.sub("", cell)
        last = max(text.rfind("."), text.rfind(","))
        if last < 0:
            continue
        both = "." in text and "," in text
        if both or len(text) - last - 1 != 3 or text[last] in text[:last]:
            # The last mark is the decimal one, unless it stands more than once.
            mark = text[last] if text.count(text[last]) == 1 else ("," if text[last] == "." else ".")
            return ("," if mark == "," else "."), True
    return ".", not any("," in c or "." in c for c in cells)


def is_sum_line(cells: Sequence[str]) -> bool:
    """A total at the end of an export."""
    first = next((c for c in cells if c.strip()), "")
    return bool(_SUM_LINE.match(first))


def read_row(cells: Sequence[str], reading: ColumnMapping) -> SpendLine | BadRow:
    """One row's content, or why it cannot be read."""

    def text(name: Field) -> str:
        place = reading.columns.get(name)
        return cells[place].strip() if place is not None and 0 <= place < len(cells) else ""

    if len(cells) <= max((reading.columns[f] for f in REQUIRED if f in reading.columns), default=0):
        return BadRow("row", message("row_too_short", columns=len(cells)))
    day = read_day(text("day"), reading.day_order)
    if isinstance(day, BadRow):
        return day
    numbers: dict[Field, Decimal] = {}
    amounts: tuple[Field, ...] = ("impressions", "clicks", "cost")
    for name in amounts:
        value = read_number(text(name), reading.decimal_mark, name)
        if isinstance(value, BadRow):
            return value
        if name != "cost" and value != value.to_integral_value():
            return BadRow(name, message("not_whole", text=text(name)))
        numbers[name] = value
    claims: list[Decimal | None] = []
    own: tuple[Field, ...] = ("conversions", "value", "view_conversions")
    for name in own:
        claim = read_number(text(name), reading.decimal_mark, name) if name in reading.columns else None
        if isinstance(claim, BadRow):
            return claim
        claims.append(claim)
    source = text("source") or reading.source
    if not source:
        return BadRow("source", message("no_source"))
    landing = text("landing")
    if landing:
        if landing.startswith("/"):
            landing = reading.host + landing
        try:
            landing = str(AS_WRITTEN.page(landing if "://" in landing else "https://" + landing))
        except AddressError as error:
            return BadRow("landing", message("bad_landing", text=landing[:80], why=error.told))
    texts: tuple[Field, ...] = ("source", "campaign", "ad_group", "ad")
    for name in texts:
        if len(text(name)) > MAX_TEXT:
            return BadRow(name, message("cell_too_long", most=MAX_TEXT))
    return SpendLine(
        day,
        source[:MAX_TEXT],
        text("campaign"),
        text("ad_group"),
        text("ad"),
        landing,
        int(numbers["impressions"]),
        int(numbers["clicks"]),
        numbers["cost"],
        *claims,
    )


def read_day(text: str, order: DayOrder) -> date | BadRow:
    """A day in the given order; years of two digits are of this century."""
    match = _DAY.fullmatch(text)
    if not match:
        return BadRow("day", message("not_a_day", text=text[:40]))
    a, b, c = (int(g) for g in match.groups())
    if a > 31:
        order = "ymd"
    year, month, day = {"ymd": (a, b, c), "dmy": (c, b, a), "mdy": (c, a, b)}[order]
    try:
        found = date(year + 2000 if year < 100 else year, month, day)
    except ValueError:
        return BadRow("day", message("not_a_day_so", text=text[:40], order=order))
    if not 2000 <= found.year < 2100:
        return BadRow("day", message("odd_year", text=text[:40], year=found.year))
    return found


def read_number(text: str, mark: DecimalMark, name: str) -> Decimal | BadRow:
    """A number of 0 or more; empty and a dash are 0."""
    plain = _NUMBER_NOISE.sub("", text)
    if plain in ("", "-", "–", "—"):
        if name == "cost" and not text.strip():
            return BadRow("cost", message("no_cost"))
        return Decimal(0)
    other = "," if mark == "." else "."
    whole, _, rest = plain.partition(mark)
    groups = whole.split(other)
    if len(groups) > 1 and (any(len(g) != 3 for g in groups[1:]) or not groups[0]):
        return BadRow(name, message("not_a_number", text=text[:40], mark=mark))
    try:
        value = Decimal("".join(groups) + ("." + rest if rest else ""))
    except InvalidOperation:
        return BadRow(name, message("not_a_number", text=text[:40], mark=mark))
    if not value.is_finite() or value < 0 or value >= Decimal("1e10"):
        return BadRow(name, message("number_out_of_range", text=text[:40]))
    return value.quantize(Decimal("0.000001"))
