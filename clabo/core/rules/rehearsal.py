"""A rehearsal of a conversion: what should count, what should stay silent, and what came of each.

A check has two halves. Lines of both kinds are made from the rule and from what else is known of the site: the form
beside the one that counts, the address that looks like the thank-you page's.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from clabo.core import rules
from clabo.core.message import Message, message
from clabo.core.pages.addresses import Address
from clabo.core.rules import Occurrence
from clabo.core.rules.condition import Should
from clabo.core.rules.conditions.page import MOST_SILENT

Status = Literal["passed", "failed", "untried"]
MOST_STEPS = 200


@dataclass(frozen=True, slots=True)
class Line:
    """One thing to do: whether it should count, what to do, where, and how it is recognised.

    `watch` is a condition as JSON; an event that meets it is an attempt. `campaign` asks for an address with (or without) campaign parameters.
    """

    should: Should
    says: Message
    open: str
    watch: dict[str, Any]
    # The attempt is to fail: a form that is tried and not sent.
    failing: bool = False
    campaign: bool | None = None


@dataclass(frozen=True, slots=True)
class Known:
    """What else there is on the site: pages, and elements by kind with the pages they were seen on."""

    pages: Sequence[Address] = ()
    elements: Sequence[tuple[rules.Kind, Mapping[str, Any], Sequence[Address]]] = ()
    events: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class Outcome:
    """What came of a line, and why."""

    status: Status
    reasons: tuple[Message, ...] = ()
    attempts: int = 0


@dataclass
class _Lines:
    """What conditions add their lines to (`rules.condition.Rehearsal`)."""

    known: Known
    made: list[Line] = field(default_factory=list)

    def pages(self) -> Sequence[Address]:
        return self.known.pages

    def events(self) -> Sequence[str]:
        return self.known.events

    def pages_of(self, condition: Any) -> list[Address]:
        return [
            page
            for kind, traits, pages in self.known.elements
            if kind in condition.kinds() and not condition.element_misses(traits)
            for page in pages
        ]

    def others(self, condition: Any, pages: Sequence[Address], code: str) -> None:
        found = [
            (traits, seen)
            for kind, traits, seen in self.known.elements
            if kind in condition.kinds() and condition.element_misses(traits)
        ]
        found.sort(key=lambda f: not set(f[1]) & set(pages))
        for traits, seen in found[:MOST_SILENT]:
            same = next((p for p in seen if p in pages), seen[0] if seen else None)
            where = "" if same is None else str(same)
            says = message(code, name=_name(traits), where=where, same=same in pages)
            self.add("silent", says, where, {condition.key: condition.exactly(traits)})

    def add(self, should: Should, says: Message, where: str, watch: dict[str, Any], **more: Any) -> None:
        line = Line(should, says, where, watch, **more)
        if all(line.says != other.says for other in self.made):
            self.made.append(line)


def _name(traits: Mapping[str, Any]) -> str:
    """What tells an element from others of its kind; empty where nothing does."""
    for trait in ("id", "name", "text", "to", "action"):
        if traits.get(trait):
            return str(traits[trait])
    values = traits.get("values") or {}
    return ", ".join(f"{k} {v}" for k, v in values.items())


def lines_of(rule: rules.Rule, known: Known) -> list[Line]:
    """What to do to check a rule: first what should count, then what should stay silent."""
    made = _Lines(known)
    for condition in _wanted(rule):
        condition.rehearse(made)
    return sorted(made.made, key=lambda line: line.should != "fire")


def _wanted(rule: rules.Rule) -> Iterable[rules.Condition]:
    """The conditions that are asked for, without those that must not be."""
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        for part in rule.parts:
            yield from _wanted(part)
    elif not isinstance(rule, rules.Not):
        yield rule


def outcome(line: Line, rule: rules.Rule, happened: Sequence[Occurrence]) -> Outcome:
    """What came of a line, given all that happened in the rehearsal."""
    attempts = [o for o in happened if _tries(line, o)]
    if not attempts:
        return Outcome("untried")
    met = [o for o in attempts if rules.meets(rule, o)]
    if line.should == "fire":
        if met:
            return Outcome("passed", attempts=len(attempts))
        return Outcome("failed", tuple(rules.misses(rule, attempts[-1])), len(attempts))
    if met:
        return Outcome("failed", (message("counted_for", rule=rules.as_json(rule)),), len(attempts))
    return Outcome("passed", attempts=len(attempts))


def _tries(line: Line, o: Occurrence) -> bool:
    watched = rules.parse(line.watch)
    tries = (
        watched.attempted_by(o, line.failing)
        if isinstance(watched, rules.Condition)
        else rules.meets(watched, o)
    )
    if not tries:
        return False
    return line.campaign is None or line.campaign == ("utm_" in o.query)


@dataclass(frozen=True, slots=True)
class Step:
    """One step of a stored list, for a browser that runs by itself."""

    action: Literal["open", "click", "fill", "press", "wait"]
    target: str
    text: str = ""
    frame: str = ""


def parse_steps(text: str) -> list[Step]:
    """Steps written a line each; raises RuleError naming the line.

    open /contact
    fill [name=email] ada@brackenhive.example
    click text=Book
    in iframe#booking click button
    press Enter
    wait 500
    """
    steps = []
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.strip()
        if not line or line.startswith("#"):
            continue
        frame = ""
        if line.startswith("in "):
            frame, _, line = line[3:].strip().partition(" ")
        action, _, rest = line.strip().partition(" ")
        target, value = rest.strip(), ""
        if action == "fill":
            target, _, value = target.partition(" ")
        known = action in ("open", "click", "fill", "press", "wait")
        if (
            not known
            or not target
            or (action == "wait" and not target.isdigit())
            or (frame and action == "open")
        ):
            raise rules.RuleError("steps", "bad_step", line=number)
        steps.append(Step(action, target, value.strip(), frame))  # type: ignore[arg-type]
    if len(steps) > MOST_STEPS:
        raise rules.RuleError("steps", "too_many_steps", most=MOST_STEPS)
    return steps
