"""A table as it leaves Clabo: columns with what they mean, and rows of plain values."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from decimal import Decimal
from types import NoneType, UnionType
from typing import Any, Literal, Union, get_args, get_origin

from clabo.platform.outputs.meanings import meaning
from clabo.platform.shapes import IntervalOut, Shape

Kind = Literal["text", "count", "amount", "number", "yes", "day", "moment"]
Value = str | int | float | Decimal | bool | date | datetime | None
_KINDS: dict[type, Kind] = {
    bool: "yes",
    int: "count",
    float: "number",
    Decimal: "amount",
    datetime: "moment",
    date: "day",
}


@dataclass(frozen=True, slots=True)
class Column:
    """`key` is the name in files; `means` is its definition."""

    key: str
    kind: Kind
    means: str = ""


@dataclass(frozen=True, slots=True)
class Table:
    """`name` becomes the file's; `about` are lines on what it shows, each a name and a text."""

    name: str
    columns: Sequence[Column]
    rows: Iterable[Sequence[Value]]
    about: Sequence[tuple[str, str]] = field(default_factory=tuple)


@dataclass(frozen=True, slots=True)
class Own:
    """A column that the site has made for itself: its number in a row's `own`, its name, and what it means."""

    number: int
    name: str
    means: str


def table_of(
    name: str,
    shape: type[Shape],
    rows: Iterable[Shape],
    about: Sequence[tuple[str, str]] = (),
    own: Sequence[Own] = (),
) -> Table:
    """A table of what the API answers: an interval becomes three columns, what is itself a list or an object none."""
    fields = [(key, _core(of.annotation)) for key, of in shape.model_fields.items()]
    kept = [(key, kind) for key, kind in fields if kind is not None]
    columns: list[Column] = []
    for key, kind in kept:
        means = meaning(name, key)
        if kind == "interval":
            columns.append(Column(key, "number", means))
            columns.append(Column(f"{key}_low", "number", f"Lower limit of {key} at 95 %"))
            columns.append(Column(f"{key}_high", "number", f"Upper limit of {key} at 95 %"))
        else:
            columns.append(Column(key, kind, means))
    if "own" not in shape.model_fields:
        own = ()
    for one in own:
        key = f"own {one.name}"
        columns.append(Column(key, "number", one.means))
        columns += [Column(f"{key}_{end}", "number", f"Limit of {key} at 95 %") for end in ("low", "high")]
    return Table(name, columns, _values(rows, kept, own), about)


def _values(
    rows: Iterable[Shape], kept: Sequence[tuple[str, Any]], own: Sequence[Own]
) -> Iterator[list[Value]]:
    for row in rows:
        values: list[Value] = []
        for key, kind in kept:
            value = getattr(row, key)
            if kind == "interval":
                values += (value.estimate, value.low, value.high) if value else (None, None, None)
            else:
                values.append(value)
        for one in own:
            value = row.own.get(one.number)  # type: ignore[attr-defined]
            values += (value.estimate, value.low, value.high) if value else (None, None, None)
        yield values


def _core(annotation: Any) -> Kind | Literal["interval"] | None:
    """What kind of column a field makes; None for none."""
    if get_origin(annotation) in (Union, UnionType):
        kinds = {_core(a) for a in get_args(annotation) if a is not NoneType}
        return kinds.pop() if len(kinds) == 1 else None
    if get_origin(annotation) is Literal:
        return "text"
    if annotation is IntervalOut:
        return "interval"
    if annotation is str:
        return "text"
    return _KINDS.get(annotation)
