"""`column = ANY(array)`: one parameter, where `IN` would take one for each of thousands of values."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any, Literal

from django.db.models import F, Lookup, Q


class _InArray(Lookup):
    prepare_rhs = False

    def as_sql(self, compiler: Any, connection: Any) -> Any:
        kind, values = self.rhs
        sql, params = self.process_lhs(compiler, connection)
        return f"{sql} = ANY(%s::{kind}[])", [*params, values]


def in_array(column: str, values: Iterable[Any], kind: Literal["bigint", "uuid", "text"] = "bigint") -> Q:
    """The condition that `column` has one of the values; never with none."""
    listed = list(values)
    return Q(_InArray(F(column), (kind, listed))) if listed else Q(pk__in=[])
