"""Rules as OpenAPI describes them: a union of all conditions, from what each says of itself."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import TypeAdapter, WithJsonSchema

from clabo.core.rules import CONDITIONS

# Stands in the API's document until `described` puts the union there.
MARK = "x-clabo-rule"
# A tree of conditions; docs/data-formats.md describes it, and clabo.core.rules reads it and has the last word.
RuleJson = Annotated[dict[str, Any], WithJsonSchema({"type": "object", MARK: True})]


def rule_schema() -> dict[str, Any]:
    """JSON schemas by name: `Rule`, and for each condition what stands under its key."""
    one = {"$ref": "#/components/schemas/Rule"}
    found: dict[str, Any] = {}
    parts: list[dict[str, Any]] = []
    for key, condition in CONDITIONS.items():
        shape = TypeAdapter(condition.shape).json_schema(ref_template="#/components/schemas/{model}")
        found |= shape.pop("$defs", {})
        name = condition.shape.__name__
        found[name] = shape
        parts.append(_only(key, {"$ref": f"#/components/schemas/{name}"}))
    groups = [_only(key, {"type": "array", "items": one}) for key in ("all", "any")]
    found["Rule"] = {"title": "Rule", "oneOf": [*parts, *groups, _only("not", one)]}
    return found


def _only(key: str, value: dict[str, Any]) -> dict[str, Any]:
    return {"type": "object", "properties": {key: value}, "required": [key], "additionalProperties": False}


def described(document: dict[str, Any]) -> dict[str, Any]:
    """The API's document with rules described."""
    document.setdefault("components", {}).setdefault("schemas", {}).update(rule_schema())
    refer(document, MARK, "Rule")
    return document


def refer(node: Any, mark: str, schema: str) -> None:
    """Put a reference to a named schema in the place of every mark."""
    if isinstance(node, dict):
        if node.pop(mark, None):
            node.clear()
            node["$ref"] = f"#/components/schemas/{schema}"
        for value in node.values():
            refer(value, mark, schema)
    elif isinstance(node, list):
        for value in node:
            refer(value, mark, schema)
