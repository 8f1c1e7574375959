"""Changes as OpenAPI describes them: a union of all kinds, from what each is made of."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import TypeAdapter, WithJsonSchema

from clabo.core.splits.changes import CHANGES, STYLES
from clabo.setup.conversions.matching.rule_shape import refer

MARK = "x-clabo-change"
# docs/data-formats.md describes it, and clabo.core.splits.changes reads it and has the last word.
ChangeJson = Annotated[dict[str, Any], WithJsonSchema({"type": "object", MARK: True})]


def described(document: dict[str, Any]) -> dict[str, Any]:
    """The API's document with changes described."""
    parts = []
    for key, kind in CHANGES.items():
        shape = TypeAdapter(kind).json_schema()
        shape.pop("title", None)
        for name, field in shape["properties"].items():
            field.pop("title", None)
            field.pop("default", None)
            if name == "property":
                field["enum"] = list(STYLES)
        parts.append(
            {
                "type": "object",
                "properties": {key: {**shape, "additionalProperties": False}},
                "required": [key],
                "additionalProperties": False,
            }
        )
    document["components"]["schemas"]["Change"] = {"title": "Change", "oneOf": parts}
    refer(document, MARK, "Change")
    return document
