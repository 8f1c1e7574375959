"""A rehearsal of a conversion: what should count, what should stay silent, and what came of each.

A check has two halves. Lines of both kinds are made from the rule and from what else is known of the site: the form
beside the one that counts, the address that looks like the thank-you page's.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from clabo.core import rules
from clabo.core.addresses import Address
from clabo.core.rules import Occurrence

Should = Literal["fire", "silent"]
Status = Literal["passed", "failed", "untried"]
CAMPAIGN = "utm_source=rehearsal&utm_medium=check&utm_campaign=rehearsal"
MOST_SILENT = 4


@dataclass(frozen=True, slots=True)
class Line:
    """One thing to do: whether it should count, what to do, where, and how it is recognised.

    `watch` is a condition as JSON; an event that meets it is an attempt. `campaign` asks for an address with (or without) campaign parameters.
    """

    should: Should
    says: str
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
    reason: str = ""
    attempts: int = 0


def alike(match: rules.Match, value: str, path: str) -> bool:
    """Whether a path has the same words as an address that is asked for."""
    if match == "pattern":
        return False
    wanted = last_words(value)
    return len(wanted) >= 4 and wanted in path.lower()


def last_words(value: str) -> str:
    """The last part of an address, in small letters."""
    return value.rstrip("/").rpartition("/")[2].lower() or value.lower()


@dataclass
class _Lines:
    rule: rules.Rule
    known: Known
    made: list[Line] = field(default_factory=list)

    def add(self, should: Should, says: str, where: str, watch: dict[str, Any], **more: Any) -> None:
        line = Line(should, says, where, watch, **more)
        if all(line.says != other.says for other in self.made):
            self.made.append(line)

    def pages_of(self, leaf: Any) -> list[Address]:
        """Where elements that a condition asks for have been seen."""
        return [
            page
            for kind, traits, pages in self.known.elements
            if kind == leaf.kind and not leaf.element_misses(traits)
            for page in pages
        ]

    def page(self, leaf: rules.PageReached) -> None:
        met = [p for p in self.known.pages if leaf.fits(p)]
        where = str(met[0]) if met else (leaf.value if leaf.match in ("equals", "begins") else "")
        watch = {"page": leaf.json()}
        self.add(
            "fire", f"Reach {where or 'a page that fits'} as a visitor does", where, watch, campaign=False
        )
        if where:
            self.add(
                "fire",
                f"Open {where} with campaign parameters behind it",
                f"{where}?{CAMPAIGN}",
                watch,
                campaign=True,
            )
        others = [p for p in self.known.pages if not leaf.fits(p) and alike(leaf.match, leaf.value, p.path)]
        for other in others[:MOST_SILENT]:
            self.add("silent", f"Open {other}, which only looks alike", str(other), exactly(other))
        if not others:
            home = next((p for p in self.known.pages if not leaf.fits(p)), None)
            if home:
                self.add("silent", f"Open {home}", str(home), exactly(home))

    def form(self, leaf: rules.FormSubmitted) -> None:
        pages = self.pages_of(leaf)
        where = str(pages[0]) if pages else ""
        self.add(
            "fire", f"{_cap(leaf.reading()).removesuffix(' is sent')}: send it", where, {"form": leaf.json()}
        )
        self.add(
            "silent",
            f"{_cap(leaf.reading()).removesuffix(' is sent')}: try to send it with a required field left empty",
            where,
            {"form": leaf.json()},
            failing=True,
        )
        self.others(leaf, pages, "Send the form {name} on the same page")

    def others(self, leaf: Any, pages: Sequence[Address], says: str) -> None:
        """What is of the same kind and should stay silent: first on the same pages."""
        found = [
            (traits, seen)
            for kind, traits, seen in self.known.elements
            if kind == leaf.kind and leaf.element_misses(traits)
        ]
        found.sort(key=lambda f: not set(f[1]) & set(pages))
        for traits, seen in found[:MOST_SILENT]:
            same = next((p for p in seen if p in pages), seen[0] if seen else None)
            told = says.format(name=_name(traits))
            if same not in pages:
                told = told.replace(" on the same page", f" on {same}" if same else "")
            self.add("silent", told, str(same or ""), {leaf.key: _exact(leaf, traits)})

    def leaf(self, leaf: rules.Leaf) -> None:
        if isinstance(leaf, rules.PageReached):
            self.page(leaf)
        elif isinstance(leaf, rules.FormSubmitted):
            self.form(leaf)
        elif isinstance(leaf, rules.Clicked):
            pages = self.pages_of(leaf)
            self.add(
                "fire",
                f"{_cap(leaf.reading())}: click it",
                str(pages[0]) if pages else "",
                {"click": leaf.json()},
            )
            self.others(leaf, pages, "Click {name} on the same page")
        elif isinstance(leaf, rules.FrameMessage):
            pages = self.pages_of(leaf)
            where = str(pages[0]) if pages else ""
            self.add(
                "fire", f"Finish the form in the frame of {leaf.origin}", where, {"message": leaf.json()}
            )
            self.others(leaf, pages, "Let the frame say {name} on the same page")
        elif isinstance(leaf, rules.CodeEvent):
            self.add("fire", f"Do what makes the code say {leaf.name}", "", {"event": {"name": leaf.name}})
            for name in [n for n in self.known.events if n != leaf.name][:MOST_SILENT]:
                self.add("silent", f"Do what makes the code say {name}", "", {"event": {"name": name}})
        elif isinstance(leaf, rules.ElementShown):
            self.add("fire", f"{_cap(leaf.reading())}: make it appear", "", {"shown": leaf.json()})
        elif leaf.trigger:
            self.add("fire", _cap(leaf.reading()), "", {leaf.key: leaf.json()})


def exactly(page: Address) -> dict[str, Any]:
    """The condition that just this page is reached."""
    return {"page": {"match": "equals", "value": str(page)}}


def _exact(leaf: Any, traits: Mapping[str, Any]) -> dict[str, Any]:
    if isinstance(leaf, rules.FormSubmitted):
        return {k: traits[k] for k in ("id", "name", "action") if traits.get(k)} or {
            "field": next(iter(traits.get("fields", ())), "")
        }
    if isinstance(leaf, rules.FrameMessage):
        at, value = next(iter((traits.get("values") or {"": ""}).items()))
        return {"origin": traits.get("origin", ""), "at": at or "?", "value": str(value) or "?"}
    return {k: traits[k] for k in ("what", "text", "to") if traits.get(k)}


def _name(traits: Mapping[str, Any]) -> str:
    for trait in ("id", "name", "text", "to", "action"):
        if traits.get(trait):
            return str(traits[trait])
    values = traits.get("values") or {}
    return ", ".join(f"{k} {v}" for k, v in values.items()) or "without a name"


def _cap(text: str) -> str:
    return text[:1].upper() + text[1:]


def lines_of(rule: rules.Rule, known: Known) -> list[Line]:
    """What to do to check a rule: first what should count, then what should stay silent."""
    made = _Lines(rule, known)
    for leaf in _wanted(rule):
        made.leaf(leaf)
    return sorted(made.made, key=lambda line: line.should != "fire")


def _wanted(rule: rules.Rule) -> Iterable[rules.Leaf]:
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
        return Outcome("failed", "; ".join(rules.misses(rule, attempts[-1])), len(attempts))
    if met:
        return Outcome("failed", f"it counted, for {rules.sentence(rule)}", len(attempts))
    return Outcome("passed", attempts=len(attempts))


def _tries(line: Line, o: Occurrence) -> bool:
    watched = rules.parse(line.watch)
    if isinstance(watched, rules.FormSubmitted):
        kind = "tried" if line.failing else "form"
        return o.kind == kind and not watched.element_misses(o.element)
    if not rules.meets(watched, o):
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
            raise rules.RuleError(
                "steps",
                f"Line {number} cannot be read. Write open, click, fill, press or wait, for example: "
                "fill [name=email] ada@brackenhive.example",
            )
        steps.append(Step(action, target, value.strip(), frame))  # type: ignore[arg-type]
    if len(steps) > 200:
        raise rules.RuleError("steps", "A list has at most 200 steps.")
    return steps
