"""A query's result as columns: one array of PostgreSQL's for each, read as it is sent, no object a row."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from django.db import connection
from numpy.typing import DTypeLike, NDArray

from clabo.platform.db.binary import binary_cursor

# Dimensions, whether any is NULL, the elements' type, how many, from which index on (array_send in PostgreSQL).
_HEADER = 20
# Between PostgreSQL's epoch (2000) and Unix's (1970).
MICROSECONDS_TO_2000 = 946_684_800_000_000


def read_columns(sql: str, params: list[Any], columns: Mapping[str, DTypeLike]) -> dict[str, NDArray[Any]]:
    """The columns of a query by name, all in the order of its rows.

    `columns` names each selected column and its type as PostgreSQL sends it (big-endian: ">i8" for bigint; a timestamp
    is ">i8", microseconds since 2000; a uuid is two ">u8"). No value may be NULL. Raises ValueError where an element is
    not as long as its type says.
    """
    quote = connection.ops.quote_name
    arrays = ", ".join(f"array_agg(r.{quote(name)})" for name in columns)
    names = ", ".join(map(quote, columns))
    with binary_cursor() as cursor:
        cursor.execute(f"SELECT {arrays} FROM ({sql}) AS r ({names})", params)
        return {
            name: _elements(name, cursor.pgresult.get_value(0, place), np.dtype(kind))
            for place, (name, kind) in enumerate(columns.items())
        }


def _elements(name: str, sent: bytes | None, kind: np.dtype[Any]) -> NDArray[Any]:
    if sent is None:
        return np.zeros(0, kind)
    element = np.dtype([("size", ">i4"), ("value", kind)])
    count = int(np.frombuffer(sent, ">i4", 1, 12)[0])
    if len(sent) != _HEADER + count * element.itemsize:
        raise ValueError(f"{name}: its values are not of {kind.itemsize} bytes each")
    found = np.frombuffer(sent, element, count, _HEADER)
    if (found["size"] != kind.itemsize).any():
        raise ValueError(f"{name}: a value is NULL or not of {kind.itemsize} bytes")
    values: NDArray[Any] = found["value"]
    return values
