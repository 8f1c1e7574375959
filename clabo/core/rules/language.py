"""Rules as trees: any, all and not over conditions; read, written, held against one event, explained."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from clabo.core.rules.elements import Clicked, ElementShown, FormSubmitted, FrameMessage
from clabo.core.rules.errors import RuleError
from clabo.core.rules.occurrence import Occurrence
from clabo.core.rules.pages import OnPage, PageReached, Parameter
from clabo.core.rules.signals import BridgeStep, CodeEvent, PagesSeen, SaleReported, Scrolled, Stayed

Leaf = (
    PageReached
    | OnPage
    | Parameter
    | FormSubmitted
    | ElementShown
    | FrameMessage
    | Clicked
    | CodeEvent
    | PagesSeen
    | Stayed
    | Scrolled
    | BridgeStep
    | SaleReported
)
_LEAVES: dict[str, type[Leaf]] = {leaf.key: leaf for leaf in Leaf.__args__}
MOST_LEAVES = 40
DEEPEST = 6


@dataclass(frozen=True, slots=True)
class AllOf:
    """Every part is met, by the same event."""

    parts: tuple[Rule, ...]


@dataclass(frozen=True, slots=True)
class AnyOf:
    """At least one part is met."""

    parts: tuple[Rule, ...]


@dataclass(frozen=True, slots=True)
class Not:
    """The part is not met."""

    part: Rule


Rule = Leaf | AllOf | AnyOf | Not


def parse(data: Any) -> Rule:
    """The rule that JSON `data` states. Raises RuleError naming the field and the remedy.

    A rule must say what happens: each way of meeting it contains, un-negated, a condition that an
    event itself fulfils, such as a page reached or a form sent.
    """
    rule = _read(data, 1)
    if sum(1 for _ in leaves(rule)) > MOST_LEAVES:
        raise RuleError("rule", f"A rule has at most {MOST_LEAVES} conditions.")
    if not _triggers(rule):
        raise RuleError(
            "rule",
            "Say what happens: a page reached, a form sent, a click, an event … "
            "Where it happens, and what must not be, only narrow that down.",
        )
    return rule


def _read(data: Any, depth: int) -> Rule:
    if not isinstance(data, Mapping) or len(data) != 1:
        raise RuleError("rule", 'A rule is an object with one condition: {"page": {"match": …, "value": …}}.')
    if depth > DEEPEST:
        raise RuleError("rule", f"A rule is nested at most {DEEPEST} deep.")
    key, inner = next(iter(data.items()))
    if key in ("any", "all"):
        if not isinstance(inner, list) or not inner:
            raise RuleError("rule", f"“{key}” needs at least one condition.")
        if len(inner) > MOST_LEAVES:
            raise RuleError("rule", f"A rule has at most {MOST_LEAVES} conditions.")
        parts = tuple(_read(part, depth + 1) for part in inner)
        return AnyOf(parts) if key == "any" else AllOf(parts)
    if key == "not":
        return Not(_read(inner, depth + 1))
    leaf = _LEAVES.get(key)
    if leaf is None:
        raise RuleError("rule", f"“{str(key)[:60]}” is no condition. There are {', '.join(_LEAVES)}.")
    if not isinstance(inner, Mapping):
        raise RuleError("rule", f"“{key}” needs an object that describes it.")
    return leaf.read(inner)


def _triggers(rule: Rule) -> bool:
    if isinstance(rule, AllOf):
        return any(map(_triggers, rule.parts))
    if isinstance(rule, AnyOf):
        return all(map(_triggers, rule.parts))
    return False if isinstance(rule, Not) else rule.trigger


def leaves(rule: Rule) -> Iterator[Leaf]:
    """Every condition of `rule`, in the order of its reading."""
    if isinstance(rule, AllOf | AnyOf):
        for part in rule.parts:
            yield from leaves(part)
    elif isinstance(rule, Not):
        yield from leaves(rule.part)
    else:
        yield rule


def as_json(rule: Rule) -> dict[str, Any]:
    """The stored form of `rule`; `parse(as_json(rule)) == rule`."""
    if isinstance(rule, AllOf):
        return {"all": [as_json(part) for part in rule.parts]}
    if isinstance(rule, AnyOf):
        return {"any": [as_json(part) for part in rule.parts]}
    if isinstance(rule, Not):
        return {"not": as_json(rule.part)}
    return {rule.key: rule.json()}


def sentence(rule: Rule) -> str:
    """The rule in plain English; brackets where any and all are nested."""
    if isinstance(rule, Not):
        return f"not ({sentence(rule.part)})"
    if isinstance(rule, AllOf | AnyOf):
        joint = ", and " if isinstance(rule, AllOf) else ", or "
        return joint.join(
            f"({sentence(p)})" if isinstance(p, AllOf | AnyOf) and len(p.parts) > 1 else sentence(p)
            for p in rule.parts
        )
    return rule.reading()


def meets(rule: Rule, o: Occurrence) -> bool:
    """Whether the event meets the rule."""
    if isinstance(rule, AllOf):
        return all(meets(part, o) for part in rule.parts)
    if isinstance(rule, AnyOf):
        return any(meets(part, o) for part in rule.parts)
    if isinstance(rule, Not):
        return not meets(rule.part, o)
    return not rule.misses(o)


@dataclass(frozen=True, slots=True)
class Check:
    """One condition held against one event. `why_not` is empty where it is as the rule wants it."""

    reading: str
    why_not: str

    @property
    def met(self) -> bool:
        return not self.why_not


def checks(rule: Rule, o: Occurrence) -> list[Check]:
    """Each condition of `rule` with its reason, for “why”, “why not” and near misses."""
    return list(_checks(rule, o, wanted=True))


def _checks(rule: Rule, o: Occurrence, wanted: bool) -> Iterator[Check]:
    if isinstance(rule, Not):
        yield from _checks(rule.part, o, not wanted)
    elif isinstance(rule, AllOf | AnyOf):
        for part in rule.parts:
            yield from _checks(part, o, wanted)
    else:
        missed = rule.misses(o)
        if wanted:
            yield Check(rule.reading(), "; ".join(missed))
        else:
            yield Check(f"not ({rule.reading()})", "" if missed else f"{rule.reading()}, and must not")


def misses(rule: Rule, o: Occurrence) -> list[str]:
    """Every reason why the event does not meet the rule; of “any”, those of the alternative that came nearest.

    One reason alone makes a near miss. Empty where the rule is met.
    """
    if isinstance(rule, AllOf):
        return [reason for part in rule.parts for reason in misses(part, o)]
    if isinstance(rule, AnyOf):
        return min((misses(part, o) for part in rule.parts), key=len)
    if isinstance(rule, Not):
        return [f"{sentence(rule.part)}, and must not"] if meets(rule.part, o) else []
    return rule.misses(o)
