"""Every operation of the API with bodies, paths and queries that its description allows, and worse: never a server error."""

from __future__ import annotations

import json
import os
import random
import string
from typing import Any

from django.test import Client

from clabo.platform.config.api import api
from clabo.platform.config.tests.test_access import OPEN, RoutedCase

# The siege asks oftener, and from other seeds (bench/soundness/siege.py).
SEED = int(os.environ.get("CLABO_FUZZ_SEED", "20261201"))
CALLS = int(os.environ.get("CLABO_FUZZ_CALLS", "5"))
# What has broken programs before.
TEXTS = (
    *(
        "",
        " ",
        "a",
        "é",
        "\u202e",
        "\ud83d\ude00",
        "x" * 5000,
        "'; --",
        "<script>",
        "%s%n",
        "{}",
        "../..",
        "\u0000",
    ),
    *(
        "NaN",
        "-1",
        "1e999",
        "2026-02-30",
        "9999-12-31",
        "0001-01-01",
        "null",
        "http://[",
        "https://shop.example/a?b=c",
    ),
    *(".*(a+)+$", "[", "(?P<n>", "shop.example", "\u2028", "K", "1" * 400),
)
NUMBERS = (0, -1, 1, 2**31, 2**63, -(2**63) - 1, 10**30, 0.1, -0.0, 1e308, 5e-324)


class Maker:
    """Random values for JSON schemas (OpenAPI 3.1), most of them valid, and some of anything."""

    def __init__(self, document: dict[str, Any], chance: random.Random) -> None:
        self.schemas, self.chance = document["components"]["schemas"], chance

    def of(self, schema: dict[str, Any], depth: int = 0) -> Any:
        """One value; of what is nested too deep, the least."""
        if self.chance.random() < 0.06:
            return self.anything(depth)
        if "$ref" in schema:
            return self.of(self.schemas[schema["$ref"].rsplit("/", 1)[1]], depth + 1)
        for key in ("anyOf", "oneOf"):
            if key in schema:
                choices = schema[key]
                least = [c for c in choices if "$ref" not in c] or choices
                return self.of(self.chance.choice(choices if depth < 12 else least), depth + 1)
        if "allOf" in schema:
            return self.of(schema["allOf"][0], depth)
        if "const" in schema:
            return schema["const"]
        if "enum" in schema:
            return self.chance.choice(schema["enum"])
        kind = schema.get("type")
        make = getattr(self, f"_{kind}", None)
        return make(schema, depth) if make else self.anything(depth)

    def anything(self, depth: int = 0) -> Any:
        """Whatever JSON can hold."""
        kind = self.chance.randrange(7 if depth < 4 else 5)
        if kind == 0:
            return None
        if kind == 1:
            return self.chance.random() < 0.5
        if kind in (2, 3):
            return self.chance.choice(TEXTS)
        if kind == 4:
            return self.chance.choice(NUMBERS)
        if kind == 5:
            return [self.anything(depth + 1) for _ in range(self.chance.randrange(3))]
        return {
            self.chance.choice(TEXTS)[:50]: self.anything(depth + 1) for _ in range(self.chance.randrange(3))
        }

    def _object(self, schema: dict[str, Any], depth: int) -> Any:
        required = set(schema.get("required", ()))
        made = {
            name: self.of(inner, depth + 1)
            for name, inner in schema.get("properties", {}).items()
            if name in required or (depth < 8 and self.chance.random() < 0.5)
        }
        more = schema.get("additionalProperties")
        if isinstance(more, dict) and depth < 8:
            made |= {self._string({}, 0): self.of(more, depth + 1) for _ in range(self.chance.randrange(3))}
        return made

    def _array(self, schema: dict[str, Any], depth: int) -> Any:
        least = schema.get("minItems", 0)
        count = least + (self.chance.choice((0, 0, 1, 2, 3)) if depth < 8 else 0)
        return [self.of(schema.get("items", {}), depth + 1) for _ in range(count)]

    def _string(self, schema: dict[str, Any], depth: int) -> str:
        match schema.get("format"):
            case "date":
                return self.chance.choice(("2026-11-30", "2026-10-01", "0001-01-01", "9999-12-31"))
            case "date-time":
                return self.chance.choice(
                    ("2026-11-30T10:00:00Z", "0001-01-01T00:00:00Z", "9999-12-31T23:59:59+14:00")
                )
        if self.chance.random() < 0.5:
            return self.chance.choice(TEXTS)
        size = self.chance.randrange(1, 30)
        return "".join(self.chance.choice(string.ascii_letters + " /._-äß") for _ in range(size))

    def _integer(self, schema: dict[str, Any], depth: int) -> int:
        low, high = schema.get("minimum", -3), schema.get("maximum", 400)
        return self.chance.choice((low, high, self.chance.randint(int(low), int(max(low, high))), 2**40))

    def _number(self, schema: dict[str, Any], depth: int) -> Any:
        return self.chance.choice((*NUMBERS, "12.50", self.chance.uniform(0, 100)))

    def _boolean(self, schema: dict[str, Any], depth: int) -> bool:
        return self.chance.random() < 0.5

    def _null(self, schema: dict[str, Any], depth: int) -> None:
        return None


class Fuzzed(RoutedCase):
    maxDiff = None

    """The site of the walk through every route, called at random by its owner."""

    def test_no_call_is_a_server_error(self) -> None:
        document = json.loads(json.dumps(api.get_openapi_schema(), default=str))
        chance = random.Random(SEED)
        maker = Maker(document, chance)
        client = self.signed_in(self.owner)
        client.raise_request_exception = False
        addresses = {
            path: self.address(path).partition("?")[0]
            if "{token}" not in path
            else path.replace("{token}", "x")
            for path in document["paths"]
        }
        calls = 0
        failed: list[tuple[Any, ...]] = []
        order = [(m, p, o) for p, methods in document["paths"].items() for m, o in methods.items()]
        # Those that remove things come last: what they remove is asked for by the others.
        for method, path, operation in sorted(order, key=lambda o: (o[0] == "delete", "forget" in o[1])):
            for _ in range(CALLS):
                calls += 1
                address, query, body = addresses[path], {}, None
                for parameter in operation.get("parameters", ()):
                    if parameter["in"] == "query" and (parameter.get("required") or chance.random() < 0.5):
                        query[parameter["name"]] = maker.of(parameter["schema"])
                content = operation.get("requestBody", {}).get("content", {})
                if "application/json" in content:
                    body = maker.of(content["application/json"]["schema"])
                sent = (
                    json.dumps(body)
                    if chance.random() < 0.95
                    else chance.choice(("", "[", "nul", '"\\ud800"'))
                )
                answer = client.generic(
                    method.upper(), address, sent, "application/json", query_params=_query(query)
                )
                if answer.status_code >= 500:
                    failed.append((method, path, query, sent[:300], answer.status_code))
                if answer.streaming:
                    b"".join(answer)
        self.assertEqual(failed, [])
        self.assertGreater(calls, CALLS * 150)
        # Strangers get no further than that.
        stranger = Client(raise_request_exception=False)
        for method, path, _ in order:
            answer = stranger.generic(method.upper(), addresses[path], "{", "application/json")
            self.assertLess(answer.status_code, 500, (method, path))
            if (method, path) not in OPEN:
                self.assertEqual(answer.status_code, 401, (method, path))


def _query(asked: dict[str, Any]) -> dict[str, Any]:
    return {
        name: [_text(one) for one in value] if isinstance(value, list) else _text(value)
        for name, value in asked.items()
    }


def _text(value: Any) -> str:
    return "" if value is None else str(value).encode("utf-16", "surrogatepass").decode("utf-16")
