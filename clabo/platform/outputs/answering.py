"""Tables as files: `format=csv` and the like on the address of a table."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from functools import wraps
from inspect import signature
from typing import Any, TypeVar, cast, get_args

from django.http import HttpRequest, HttpResponseBase, StreamingHttpResponse

from clabo.platform.outputs.tables import Own, Table, table_of
from clabo.platform.outputs.writing import MEDIA, Format, write
from clabo.platform.problems import Problem
from clabo.platform.shapes import Shape

FORMATS: tuple[str, ...] = get_args(Format)
# For the API's document, of functions that `as_table` wraps.
FILES: dict[str, Any] = {
    "parameters": [
        {
            "in": "query",
            "name": "format",
            "required": False,
            "schema": {"type": "string", "enum": list(FORMATS)},
            "description": "The table as a file",
        }
    ]
}
# All that can be had as a file, by name.
TABLES: dict[str, type[Shape]] = {}
F = TypeVar("F", bound=Callable[..., Any])


def as_table(
    name: str, shape: type[Shape], rows: Callable[[Any], Iterable[Shape]] = iter
) -> Callable[[F], F]:
    """An API function whose answer can be had as a file: `rows` of it, each of that shape.

    Whoever may ask the function may have the file: it is asked first. Where the answer says what it looks at
    (`lens.says`), so does the file. Raises Problem for a format that there is none of.
    """

    TABLES[name] = shape

    def wrap(function: F) -> F:
        @wraps(function)
        def asked(request: HttpRequest, *args: Any, **kwargs: Any) -> Any:
            form = asked_format(request)
            answer = function(request, *args, **kwargs)
            if form is None:
                return answer
            about = [("Made", f"{datetime.now(UTC):%Y-%m-%d %H:%M} UTC")]
            lens = getattr(answer, "lens", None)
            if says := getattr(lens, "says", ""):
                about.insert(0, ("What is looked at", says))
            return file(table_of(name, shape, rows(answer), about, own_of(lens)), form)

        # Types as they are: the API would look for their names here, where they are not known.
        asked.__signature__ = signature(function, eval_str=True)  # type: ignore[attr-defined]
        return cast(F, asked)

    return wrap


def own_of(lens: Any) -> list[Own]:
    """The own columns that a lens of the API names."""
    return [
        Own(c.id, c.name, f"{c.numerator} / {c.denominator}")
        for c in getattr(lens, "own_columns", None) or ()
    ]


def asked_format(request: HttpRequest) -> Format | None:
    """The file that a request asks for; None for the usual answer. Raises Problem."""
    said = request.GET.get("format")
    if said is None:
        return None
    if said not in FORMATS:
        raise Problem(f"Choose one of {', '.join(FORMATS)}.", "format")
    return cast(Format, said)


def file(table: Table, form: Format) -> HttpResponseBase:
    """The table as a download, sent while it is written."""
    answer = StreamingHttpResponse(write(table, form), content_type=MEDIA[form])
    name = re.sub(r"[^a-z0-9]+", "-", table.name.lower()).strip("-") or "table"
    answer["content-disposition"] = f'attachment; filename="{name}-{datetime.now(UTC):%Y-%m-%d}.{form}"'
    answer["cache-control"] = "no-store"
    return answer
