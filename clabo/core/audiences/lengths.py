"""Definitions with another lookback: for the length curve, and in bands."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from clabo.core.audiences.definition import All, Any, Definition, Node, Part, Sequence, nodes
from clabo.core.audiences.evaluate import Source, fulfil, members


def first_part(definition: Definition) -> Part | None:
    """The first part of what is included that happens at a time: what a length is asked of unless said otherwise."""
    for path, node in nodes(definition):
        if path.startswith("include") and isinstance(node, Part) and node.what.timed:
            return node
    return None


def with_length(definition: Definition, part: Part, end: int) -> Definition:
    """The definition with every occurrence of `part` looking back to age `end` instead."""
    return _replaced(definition, part, replace(part, end=end))


def curve(definition: Definition, part: Part, lengths: Iterable[int], source: Source) -> list[int]:
    """How many are in for each of the `lengths`, growing, that `part` might look back to."""
    simple = _without(definition, part)
    if simple is None:
        return [len(members(with_length(definition, part, end), source)) for end in lengths]
    # Nothing but the part itself changes from one length to the next.
    alternatives, others = simple
    allowed = None if not others else fulfil(All(others), source)
    if definition.exclude is not None:
        out = fulfil(definition.exclude, source)
        if allowed is not None:
            allowed = allowed - out
    beside = fulfil(Any(alternatives), source) if alternatives else None
    found = []
    for end in lengths:
        people = source.people(replace(part, end=end))
        if beside is not None:
            people = people | beside
        if allowed is not None:
            found.append(people.intersection_cardinality(allowed))
        elif definition.exclude is not None:
            found.append(people.difference_cardinality(out))
        else:
            found.append(len(people))
    return found


def _without(definition: Definition, part: Part) -> tuple[tuple[Node, ...], tuple[Node, ...]] | None:
    """The alternatives of the part and the rest of what is included, where it stands there once and nowhere else."""
    include = definition.include
    lines = include.nodes if isinstance(include, All) else (include,)
    if sum(node == part for _, node in nodes(definition)) != 1:
        return None
    for place, node in enumerate(lines):
        rest = lines[:place] + lines[place + 1 :]
        if node == part:
            return (), rest
        if isinstance(node, Any) and part in node.nodes:
            return tuple(n for n in node.nodes if n != part), rest
    return None


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
