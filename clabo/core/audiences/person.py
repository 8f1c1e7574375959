"""One person: a definition held against a history, with the reason for every line."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from collections.abc import Sequence as Seq
from dataclasses import dataclass
from datetime import date, timedelta

from clabo.core.audiences.definition import All, Any, Definition, Node, Part, Sequence, nodes
from clabo.core.audiences.predicates import Happening, What


@dataclass(frozen=True, slots=True)
class Line:
    """A part, whether it is met, by which happening, and the first day on which that would be too old."""

    path: str
    part: Part
    met: bool
    by: Happening | None = None
    until: date | None = None
    # How often it happened in time, and the last time that it happened outside of it.
    times: int = 0
    outside: Happening | None = None


@dataclass(frozen=True, slots=True)
class Person:
    """A history, in order, as of the site's day `today`; `belongs`: whether they are in these audiences and lists."""

    history: Seq[Happening]
    today: date
    belongs: Mapping[What, bool]

    def member(self, definition: Definition) -> bool:
        """Whether they are in."""
        return self.fulfils(definition.include) and not (
            definition.exclude is not None and self.fulfils(definition.exclude)
        )

    def fulfils(self, node: Node) -> bool:
        """Whether they fulfil one node."""
        if isinstance(node, All):
            return all(self.fulfils(n) for n in node.nodes)
        if isinstance(node, Any):
            return any(self.fulfils(n) for n in node.nodes)
        if isinstance(node, Sequence):
            return self.reached(node) == len(node.steps)
        return self.line("", node).met

    def reached(self, sequence: Sequence) -> int:
        """How many steps of the sequence they got through, in order."""
        ends: list[Happening] = []
        for number, step in enumerate(sequence.steps):
            now = [h for part in step for h in self.happened(part)]
            if number:
                now = [h for h in now if any(self._follows(h, e, sequence.within) for e in ends)]
            if not now:
                return number
            ends = now
        return len(sequence.steps)

    @staticmethod
    def _follows(later: Happening, earlier: Happening, within: int | None) -> bool:
        apart = later.time - earlier.time
        return apart > timedelta(0) and (within is None or apart <= timedelta(seconds=within))

    def happened(self, part: Part) -> list[Happening]:
        """What fulfils the part, in its days."""
        return [
            h for h in self.history if part.what.met(h) and part.start <= (self.today - h.day).days < part.end
        ]

    def line(self, path: str, part: Part) -> Line:
        """How a part stands."""
        if not part.what.timed:
            return Line(path, part, self.belongs.get(part.what, False))
        inside = self.happened(part)
        met = len(inside) >= part.times
        outside = next((h for h in reversed(self.history) if part.what.met(h) and h not in inside), None)
        if not met:
            return Line(path, part, False, None, None, len(inside), outside)
        deciding = sorted(inside, key=lambda h: h.day)[-part.times]
        return Line(
            path, part, True, inside[-1], deciding.day + timedelta(days=part.end), len(inside), outside
        )

    def lines(self, definition: Definition) -> Iterator[Line]:
        """Every part, in the order of reading."""
        for path, node in nodes(definition):
            if isinstance(node, Part):
                yield self.line(path, node)
