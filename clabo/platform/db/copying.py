"""Many new rows at once, by COPY: about six times as fast as `bulk_create`, which see bench/speed/pipeline.py.

What the rows are is still the models': tables, columns and kinds are read from them. Use it for rows
that are new for certain, inside a transaction; constraints hold as for any insert.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import lru_cache
from operator import attrgetter
from typing import Any

from django.db import connection, models
from psycopg.types.json import Jsonb


@lru_cache(maxsize=32)
def _shape(model: type[models.Model]) -> tuple[str, Callable[[Any], tuple[Any, ...]], tuple[int, ...]]:
    """The COPY statement, how a row is taken from an object, and which of its places are JSON."""
    fields = [f for f in model._meta.local_concrete_fields if f.column]
    quote = connection.ops.quote_name
    columns = ", ".join(quote(str(f.column)) for f in fields)
    statement = f"COPY {quote(model._meta.db_table)} ({columns}) FROM STDIN"
    json_places = tuple(i for i, f in enumerate(fields) if isinstance(f, models.JSONField))
    return statement, attrgetter(*(f.attname for f in fields)), json_places


def copy_in(model: type[models.Model], objects: Sequence[Any]) -> None:
    """Insert `objects`, which have the model's attributes, ids included; they need not be its instances."""
    if not objects:
        return
    statement, row_of, json_places = _shape(model)
    with connection.cursor() as cursor, cursor.copy(statement) as copy:
        write = copy.write_row
        for each in objects:
            row = row_of(each)
            for place in json_places:
                if row[place] is not None:
                    row = (*row[:place], Jsonb(row[place]), *row[place + 1 :])
            write(row)


def new_ids(model: type[models.Model], count: int) -> list[int]:
    """`count` ids for rows that are to be copied in."""
    if not count:
        return []
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT nextval(%s::regclass) FROM generate_series(1, %s)",
            [_sequence(model._meta.db_table), count],
        )
        return [row[0] for row in cursor.fetchall()]


@lru_cache(maxsize=32)
def _sequence(table: str) -> str:
    # Asked for once: within the query above it would be looked up again for every id.
    with connection.cursor() as cursor:
        cursor.execute("SELECT pg_get_serial_sequence(%s, 'id')", [table])
        return str(cursor.fetchone()[0])
