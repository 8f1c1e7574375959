"""Definitions of audiences: read, written, walked through."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any as Anything

from clabo.core.audiences.predicates import Happened, What, read_what
from clabo.core.pages.addresses import PLAIN, PageReading
from clabo.core.rules import leaves
from clabo.core.rules.errors import RuleError

# The longest lookback in days, as for any period.
LONGEST = 730
MOST_PARTS = 40
DEEPEST = 6
MOST_TIMES = 1000
# Of a sequence: a step after the one before, in seconds. No longer than any lookback.
LONGEST_WITHIN = LONGEST * 86_400


@dataclass(frozen=True, slots=True)
class Part:
    """It happened at least `times` times in the days of age `start` to `end` - 1; today's age is 0."""

    what: What
    start: int
    end: int
    times: int = 1


@dataclass(frozen=True, slots=True)
class All:
    """Whoever fulfils all of these, by whatever happened when."""

    nodes: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Any:
    """Whoever fulfils at least one."""

    nodes: tuple[Node, ...]


@dataclass(frozen=True, slots=True)
class Sequence:
    """Steps, each strictly after the one before and at most `within` seconds later. A step's parts are alternatives."""

    steps: tuple[tuple[Part, ...], ...]
    within: int | None = None


Node = Part | All | Any | Sequence


@dataclass(frozen=True, slots=True)
class Definition:
    """Who is in: whoever fulfils `include` and not `exclude`."""

    include: Node
    exclude: Node | None = None


def parse(data: Anything, reading: PageReading = PLAIN) -> Definition:
    """The definition that JSON `data` states.

    Parameters
    ----------
    data : object
        Whatever came as JSON.
    reading : PageReading
        How the site reads its addresses; AS_WRITTEN for what is to be stored.

    Returns
    -------
    Definition

    Raises
    ------
    RuleError
        Its `field` is the path to what is wrong, such as `include.all[1].to`.

    Examples
    --------
    >>> kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21}
    >>> parse({"include": kit, "exclude": {"what": {"conversion": 3}, "to": 365}}).exclude
    Part(what=Converted(conversion=3), start=0, end=365, times=1)
    """
    if not isinstance(data, Mapping):
        raise RuleError("", "no_definition")
    if other := set(data) - {"include", "exclude"}:
        raise RuleError(
            "", "unknown_part", part=str(min(other, key=str))[:60], allowed=["exclude", "include"]
        )
    if data.get("include") is None:
        raise RuleError("include", "ask_include")
    exclude = data.get("exclude")
    read = Definition(
        _read(data["include"], "include", 1, reading),
        None if exclude is None else _read(exclude, "exclude", 1, reading),
    )
    if sum(_weight(part) for part in parts(read)) > MOST_PARTS:
        raise RuleError("include", "too_many_parts", most=MOST_PARTS)
    return read


def _weight(part: Part) -> int:
    return len(list(leaves(part.what.rule))) if isinstance(part.what, Happened) else 1


def _read(data: Anything, path: str, depth: int, reading: PageReading) -> Node:
    if not isinstance(data, Mapping):
        raise RuleError(path, "no_node")
    if depth > DEEPEST:
        raise RuleError(path, "too_deep", most=DEEPEST)
    for key, kind in (("all", All), ("any", Any)):
        if key in data:
            _only(data, {key}, path)
            inner = _listed(data[key], f"{path}.{key}", key)
            return kind(
                tuple(_read(n, f"{path}.{key}[{i}]", depth + 1, reading) for i, n in enumerate(inner))
            )
    if "sequence" in data:
        _only(data, {"sequence", "within"}, path)
        inner = _listed(data["sequence"], f"{path}.sequence", "sequence")
        steps = tuple(_step(n, f"{path}.sequence[{i}]", depth + 1, reading) for i, n in enumerate(inner))
        within = data.get("within")
        return Sequence(
            steps, None if within is None else _whole(data, "within", path, None, 1, LONGEST_WITHIN)
        )
    return _part(data, path, reading)


def _step(data: Anything, path: str, depth: int, reading: PageReading) -> tuple[Part, ...]:
    node = _read(data, path, depth, reading)
    alternatives = node.nodes if isinstance(node, Any) else (node,)
    found = []
    for one in alternatives:
        if not isinstance(one, Part) or not one.what.timed or one.times != 1:
            raise RuleError(path, "no_step")
        found.append(one)
    return tuple(found)


def _part(data: Mapping[str, Anything], path: str, reading: PageReading) -> Part:
    if "what" not in data:
        raise RuleError(path, "no_node")
    _only(data, {"what", "from", "to", "times"}, path)
    try:
        what = read_what(data["what"], reading)
    except RuleError as error:
        inner = "" if error.field in ("", "rule") else f".{error.field}"
        raise RuleError(f"{path}.what{inner}", error.told.code, **error.told.params) from None
    if not what.timed:
        _only(data, {"what"}, path)
        return Part(what, 0, LONGEST)
    start = _whole(data, "from", path, 0, 0, LONGEST - 1)
    end = _whole(data, "to", path, LONGEST, 1, LONGEST)
    if start >= end:
        raise RuleError(f"{path}.to", "to_after_from", start=start)
    return Part(what, start, end, _whole(data, "times", path, 1, 1, MOST_TIMES))


def _whole(
    data: Mapping[str, Anything], key: str, path: str, missing: int | None, low: int, high: int
) -> int:
    value = data.get(key)
    if value is None and missing is not None:
        return missing
    if isinstance(value, float) and value.is_integer():
        value = int(value)
    if isinstance(value, bool) or not isinstance(value, int) or not low <= value <= high:
        raise RuleError(f"{path}.{key}", "whole_between", low=low, high=high)
    return value


def _only(data: Mapping[str, Anything], allowed: set[str], path: str) -> None:
    if other := set(data) - allowed:
        raise RuleError(path, "unknown_part", part=str(min(other, key=str))[:60], allowed=sorted(allowed))


def _listed(data: Anything, path: str, key: str) -> list[Anything]:
    if not isinstance(data, list) or not data:
        raise RuleError(path, "empty_group", key=key)
    if len(data) > MOST_PARTS:
        raise RuleError(path, "too_many_parts", most=MOST_PARTS)
    return data


def as_json(definition: Definition) -> dict[str, Anything]:
    """The stored form; `parse(as_json(d)) == d`."""
    found = {"include": node_json(definition.include)}
    if definition.exclude is not None:
        found["exclude"] = node_json(definition.exclude)
    return found


def node_json(node: Node) -> dict[str, Anything]:
    """The same of one node."""
    if isinstance(node, All):
        return {"all": [node_json(n) for n in node.nodes]}
    if isinstance(node, Any):
        return {"any": [node_json(n) for n in node.nodes]}
    if isinstance(node, Sequence):
        steps = [
            node_json(step[0]) if len(step) == 1 else {"any": [node_json(p) for p in step]}
            for step in node.steps
        ]
        return {"sequence": steps} | ({} if node.within is None else {"within": node.within})
    if not node.what.timed:
        return {"what": node.what.json()}
    return {"what": node.what.json(), "from": node.start, "to": node.end, "times": node.times}


def nodes(definition: Definition) -> Iterator[tuple[str, Node]]:
    """Every node with its path, in the order of reading."""
    yield from _walk(definition.include, "include")
    if definition.exclude is not None:
        yield from _walk(definition.exclude, "exclude")


def _walk(node: Node, path: str) -> Iterator[tuple[str, Node]]:
    yield path, node
    if isinstance(node, All | Any):
        key = "all" if isinstance(node, All) else "any"
        for i, one in enumerate(node.nodes):
            yield from _walk(one, f"{path}.{key}[{i}]")
    elif isinstance(node, Sequence):
        for i, step in enumerate(node.steps):
            for k, part in enumerate(step):
                yield f"{path}.sequence[{i}]" + (f".any[{k}]" if len(step) > 1 else ""), part


def parts(definition: Definition) -> Iterator[Part]:
    """Every part, in the order of reading."""
    for _, node in nodes(definition):
        if isinstance(node, Part):
            yield node
