"""Definitions of audiences as OpenAPI describes them."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import WithJsonSchema

from clabo.core.audiences.definition import LONGEST, LONGEST_WITHIN, MOST_TIMES
from clabo.core.audiences.predicates import DEVICES, LETTERS, SUB_IDS
from clabo.core.pages.traffic_source import CHANNELS
from clabo.setup.conversions.matching.rule_shape import refer

MARK = "x-clabo-definition"
# clabo.core.audiences reads it and has the last word.
DefinitionJson = Annotated[dict[str, Any], WithJsonSchema({"type": "object", MARK: True})]


def _ref(name: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{name}"}


def _object(required: list[str], **properties: Any) -> dict[str, Any]:
    return {
        "type": "object",
        "properties": properties,
        "required": required,
        "additionalProperties": False,
    }


def schemas() -> dict[str, Any]:
    """JSON schemas by name."""
    number: dict[str, Any] = {"type": "integer", "minimum": 1}
    text = {"type": "string", "maxLength": 500}
    came = {
        "channel": {"type": "string", "enum": list(CHANNELS)},
        **dict.fromkeys(("source", "medium", "campaign", "ad_group", "ad", *SUB_IDS), text),
    }
    nodes = {"type": "array", "items": _ref("AudienceNode"), "minItems": 1}
    return {
        "AudienceCame": _object([], **came),
        "AudienceWhat": {
            "oneOf": [
                _ref("Rule"),
                _object(["conversion"], conversion=number),
                _object(["came"], came=_ref("AudienceCame")),
                _object(["device"], device={"type": "string", "enum": list(DEVICES)}),
                _object(["visit"], visit={"type": "string", "enum": ["any", "new", "returning"]}),
                _object(["audience"], audience=number),
                _object(["list"], list=number),
                _object(
                    ["variant"],
                    variant=_object(
                        ["test", "letter"], test=number, letter={"type": "string", "enum": list(LETTERS)}
                    ),
                ),
            ]
        },
        "AudiencePart": {
            "description": "It happened at least `times` times in the days of age `from` to `to` - 1.",
            **_object(
                ["what"],
                what=_ref("AudienceWhat"),
                to={**number, "maximum": LONGEST},
                times={**number, "maximum": MOST_TIMES},
                **{"from": {"type": "integer", "minimum": 0, "maximum": LONGEST - 1}},
            ),
        },
        "AudienceNode": {
            "oneOf": [
                _ref("AudiencePart"),
                _object(["all"], all=nodes),
                _object(["any"], any=nodes),
                _object(["sequence"], sequence=nodes, within={**number, "maximum": LONGEST_WITHIN}),
            ]
        },
        "AudienceDefinition": _object(
            ["include"], include=_ref("AudienceNode"), exclude=_ref("AudienceNode")
        ),
    }


def described(document: dict[str, Any]) -> dict[str, Any]:
    """The API's document with definitions described."""
    document["components"]["schemas"].update(schemas())
    refer(document, MARK, "AudienceDefinition")
    return document
