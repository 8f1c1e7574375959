"""Rules as trees: any, all and not over conditions; read, written, held against one event, explained."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from clabo.core.message import Message, message
from clabo.core.pages.addresses import PLAIN, PageReading
from clabo.core.rules.condition import Condition
from clabo.core.rules.conditions import CONDITIONS
from clabo.core.rules.errors import RuleError
from clabo.core.rules.occurrence import Occurrence

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


Rule = Condition | AllOf | AnyOf | Not


def parse(data: Any, reading: PageReading = PLAIN) -> Rule:
    """The rule that JSON `data` states. Raises RuleError naming the field and the remedy.

    A rule must say what happens: each way of meeting it contains, un-negated, a condition that an
    event itself fulfils, such as a page reached or a form sent.

    Parameters
    ----------
    data : object
        Whatever came as JSON.
    reading : PageReading
        How the site reads its addresses; AS_WRITTEN for what is to be stored, since settings may change.

    Returns
    -------
    Rule
        A condition, or `AllOf`, `AnyOf`, `Not` over rules.

    Raises
    ------
    RuleError
        Naming the field, with a code for what is wrong.

    Examples
    --------
    >>> parse({"form": {"id": "booking"}})
    FormSubmitted(id='booking', name='', action='', field='', stage='')
    >>> parse({"form": {"colour": "red"}})
    Traceback (most recent call last):
        ...
    clabo.core.rules.errors.RuleError: rule: unknown_part
    """
    rule = _read(data, 1, reading)
    if sum(1 for _ in leaves(rule)) > MOST_LEAVES:
        raise RuleError("rule", "too_many_conditions", most=MOST_LEAVES)
    if not _triggers(rule):
        raise RuleError("rule", "ask_what_happens")
    return rule


def part_of(data: Any, reading: PageReading = PLAIN) -> Rule:
    """As `parse`, for what may stand within a rule without saying what happens."""
    return _read(data, 1, reading)


def _read(data: Any, depth: int, reading: PageReading) -> Rule:
    if not isinstance(data, Mapping) or len(data) != 1:
        raise RuleError("rule", "no_rule")
    if depth > DEEPEST:
        raise RuleError("rule", "too_deep", most=DEEPEST)
    key, inner = next(iter(data.items()))
    if key in ("any", "all"):
        if not isinstance(inner, list) or not inner:
            raise RuleError("rule", "empty_group", key=key)
        if len(inner) > MOST_LEAVES:
            raise RuleError("rule", "too_many_conditions", most=MOST_LEAVES)
        parts = tuple(_read(part, depth + 1, reading) for part in inner)
        return AnyOf(parts) if key == "any" else AllOf(parts)
    if key == "not":
        return Not(_read(inner, depth + 1, reading))
    condition = CONDITIONS.get(key)
    if condition is None:
        raise RuleError("rule", "unknown_condition", key=str(key)[:60], known=list(CONDITIONS))
    if not isinstance(inner, Mapping):
        raise RuleError("rule", "needs_object", key=key)
    return condition.read(inner).on(reading)


def _triggers(rule: Rule) -> bool:
    if isinstance(rule, AllOf):
        return any(map(_triggers, rule.parts))
    if isinstance(rule, AnyOf):
        return all(map(_triggers, rule.parts))
    return False if isinstance(rule, Not) else rule.trigger


def leaves(rule: Rule) -> Iterator[Condition]:
    """Every condition of `rule`, in the order of its reading.

    Parameters
    ----------
    rule : Rule
        What `parse` returns.

    Returns
    -------
    iterator of Condition
        In the order in which the rule reads.

    Examples
    --------
    >>> [leaf.key for leaf in leaves(parse({"all": [{"form": {}}, {"not": {"click": {}}}, {"step": {}}]}))]
    ['form', 'click', 'step']
    """
    if isinstance(rule, AllOf | AnyOf):
        for part in rule.parts:
            yield from leaves(part)
    elif isinstance(rule, Not):
        yield from leaves(rule.part)
    else:
        yield rule


def as_json(rule: Rule) -> dict[str, Any]:
    """The stored form of `rule`; `parse(as_json(rule)) == rule`.

    Parameters
    ----------
    rule : Rule
        What `parse` returns.

    Returns
    -------
    dict
        Plain JSON.

    Examples
    --------
    >>> as_json(parse({"all": [{"form": {"id": " a "}}]}))
    {'all': [{'form': {'id': 'a'}}]}
    """
    if isinstance(rule, AllOf):
        return {"all": [as_json(part) for part in rule.parts]}
    if isinstance(rule, AnyOf):
        return {"any": [as_json(part) for part in rule.parts]}
    if isinstance(rule, Not):
        return {"not": as_json(rule.part)}
    return {rule.key: rule.json()}


def meets(rule: Rule, o: Occurrence) -> bool:
    """Whether the event meets the rule.

    Parameters
    ----------
    rule : Rule
        What `parse` returns.
    o : Occurrence
        One event and what it knows of its visit.

    Returns
    -------
    bool
        Whether it does.

    Examples
    --------
    >>> from clabo.core.pages.addresses import Address
    >>> thanks = Occurrence("view", Address("shop.example", "/thank-you"))
    >>> rule = parse({"page": {"match": "equals", "value": "/thank-you"}})
    >>> meets(rule, thanks)
    True
    """
    if isinstance(rule, AllOf):
        return all(meets(part, o) for part in rule.parts)
    if isinstance(rule, AnyOf):
        return any(meets(part, o) for part in rule.parts)
    if isinstance(rule, Not):
        return not meets(rule.part, o)
    return rule.met(o)


@dataclass(frozen=True, slots=True)
class Check:
    """One condition held against one event, `wanted` or not. `why_not` is empty where it is as the rule wants it."""

    condition: Condition
    wanted: bool
    why_not: tuple[Message, ...]

    @property
    def met(self) -> bool:
        """Whether it is as the rule wants it."""
        return not self.why_not


def checks(rule: Rule, o: Occurrence) -> list[Check]:
    """Each condition of `rule` with its reasons, for “why”, “why not” and near misses.

    Parameters
    ----------
    rule : Rule
        What `parse` returns.
    o : Occurrence
        One event and what it knows of its visit.

    Returns
    -------
    list of Check
        One for each condition, met or not.

    Examples
    --------
    >>> from clabo.core.pages.addresses import Address
    >>> thanks = Occurrence("view", Address("shop.example", "/thank-you"))
    >>> rule = parse({"page": {"match": "equals", "value": "/thank-you"}})
    >>> [check.met for check in checks(rule, thanks)]
    [True]
    """
    return list(_checks(rule, o, wanted=True))


def _checks(rule: Rule, o: Occurrence, wanted: bool) -> Iterator[Check]:
    if isinstance(rule, Not):
        yield from _checks(rule.part, o, not wanted)
    elif isinstance(rule, AllOf | AnyOf):
        for part in rule.parts:
            yield from _checks(part, o, wanted)
    else:
        missed = tuple(rule.misses(o))
        yield Check(
            rule, wanted, missed if wanted else () if missed else (message("miss_not", rule=as_json(rule)),)
        )


def misses(rule: Rule, o: Occurrence) -> list[Message]:
    """Every reason why the event does not meet the rule; of “any”, those of the alternative that came nearest.

    One reason alone makes a near miss. Empty where the rule is met.

    Parameters
    ----------
    rule : Rule
        What `parse` returns.
    o : Occurrence
        One event and what it knows of its visit.

    Returns
    -------
    list of Told
        Codes with their parameters; clabo/platform/wording has the words.

    Examples
    --------
    >>> from clabo.core.pages.addresses import Address
    >>> thanks = Occurrence("view", Address("shop.example", "/thank-you"))
    >>> rule = parse({"page": {"match": "equals", "value": "/thank-you"}})
    >>> misses(Not(rule), thanks)[0].code
    'miss_not'
    """
    if isinstance(rule, AllOf):
        return [reason for part in rule.parts for reason in misses(part, o)]
    if isinstance(rule, AnyOf):
        return min((misses(part, o) for part in rule.parts), key=len)
    if isinstance(rule, Not):
        return [message("miss_not", rule=as_json(rule.part))] if meets(rule.part, o) else []
    return rule.misses(o)
