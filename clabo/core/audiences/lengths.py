"""Definitions with another lookback: for the length curve, and in bands."""

from __future__ import annotations

from dataclasses import replace

from clabo.core.audiences.definition import Any, Definition, Node, Part, Sequence, nodes


def first_part(definition: Definition) -> Part | None:
    """The first part of what is included that happens at a time: what a length is asked of unless said otherwise."""
    for path, node in nodes(definition):
        if path.startswith("include") and isinstance(node, Part) and node.what.timed:
            return node
    return None


def with_length(definition: Definition, part: Part, end: int) -> Definition:
    """The definition with every occurrence of `part` looking back to age `end` instead."""
    return _replaced(definition, part, replace(part, end=end))


def band(definition: Definition, youngest: int, start: int, end: int) -> Definition:
    """Whoever fulfils the definition by its first part in the days of age `start` to `end` - 1, and not by younger ones.

    Bands between neighbouring cuts share nobody: `youngest` is the first cut. Raises ValueError where there is no part
    with an age.
    """
    part = first_part(definition)
    if part is None:
        raise ValueError("no part has an age")
    found = _replaced(definition, part, replace(part, start=start, end=end))
    if start == youngest:
        return found
    younger = replace(part, start=youngest, end=start)
    others: tuple[Node, ...] = ()
    if found.exclude is not None:
        others = found.exclude.nodes if isinstance(found.exclude, Any) else (found.exclude,)
    return Definition(found.include, Any((younger, *others)))


def _replaced(definition: Definition, part: Part, by: Part) -> Definition:
    def changed(node: Node) -> Node:
        if isinstance(node, Part):
            return by if node == part else node
        if isinstance(node, Sequence):
            steps = tuple(tuple(by if p == part else p for p in step) for step in node.steps)
            return Sequence(steps, node.within)
        return type(node)(tuple(changed(n) for n in node.nodes))

    exclude = definition.exclude
    return Definition(changed(definition.include), None if exclude is None else changed(exclude))
