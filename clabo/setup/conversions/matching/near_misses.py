"""Near misses: events that meet all of a rule but one condition."""

from __future__ import annotations

from dataclasses import dataclass
from functools import reduce
from operator import add, and_, or_

from django.db.models import Case, Count, IntegerField, Q, QuerySet, Value, When

from clabo.collect.events.models import KIND_NAMES, Event
from clabo.core import rules
from clabo.core.message import Message, message
from clabo.core.pages.addresses import Address
from clabo.setup.conversions.matching.event_places import Place
from clabo.setup.conversions.matching.selecting import Inventory, condition, met, nearly

MOST_NEAR = 20
# So many parts of a rule are looked at for near misses.
MOST_PARTS = 8


@dataclass(frozen=True, slots=True)
class NearMiss:
    """Events that meet all of a rule but one condition, and which."""

    place: Place
    reasons: list[Message]


def near_misses(rule: rules.Rule, events: QuerySet[Event], known: Inventory, one_in: int) -> list[NearMiss]:
    """Those of `events` that one part of `rule` keeps from meeting it, the most frequent places first.

    `events` are those of one visitor in `one_in`. All parts are looked at in one reading. An event that two parts
    nearly meet is told of both.
    """
    looked_at = [(part, nearly) for part in _parts(rule) if (nearly := _nearly(part, known)) is not None]
    looked_at = looked_at[:MOST_PARTS]
    if not looked_at:
        return []
    swapped = [condition(rule, known, pair) for pair in looked_at]
    which = reduce(add, (_bit(i, q) for i, q in enumerate(swapped)))
    rows = list(
        events.filter(reduce(or_, swapped))
        .exclude(condition(rule, known))
        .annotate(which=which)
        .values_list("kind", "page_id", "element_id", "name", "which")
        .annotate(n=Count("id"), visits=Count("visit_id", distinct=True))
        .order_by("-n")[:MOST_NEAR]
    )
    pages = known.pages(row[1] for row in rows)
    elements = {e.pk: e for e in known.elements}
    found = []
    for kind, page_id, element_id, name, bits, n, visits in rows:
        if page_id not in pages:
            continue
        element = elements.get(element_id)
        place = Place(KIND_NAMES[kind], pages[page_id], element, name, n * one_in, visits * one_in, 0)
        found += [
            NearMiss(place, _reasons(part, place)) for i, (part, _) in enumerate(looked_at) if bits & 1 << i
        ]
    return found[:MOST_NEAR]


def _bit(place: int, met: Q) -> Case:
    return Case(When(met, then=Value(1 << place)), default=Value(0), output_field=IntegerField())


def _parts(rule: rules.Rule) -> list[rules.Rule]:
    """The conditions of a rule, and its negations as wholes."""
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        return [each for part in rule.parts for each in _parts(part)]
    return [rule]


def _nearly(part: rules.Rule, known: Inventory) -> Q | None:
    """What nearly meets one part: all that it asks for but one fact, which comes near."""
    if isinstance(part, rules.Not):
        return condition(part.part, known)
    assert isinstance(part, rules.Condition)
    ways = []
    for place, fact in enumerate(part.facts):
        near = nearly(fact, known)
        if near is not None:
            others = [met(f, known) for f in part.facts[:place] + part.facts[place + 1 :]]
            ways.append(reduce(and_, others, near))
    return reduce(or_, ways) if ways else None


def _reasons(part: rules.Rule, place: Place) -> list[Message]:
    if isinstance(part, rules.Not):
        return [message("miss_not", rule=rules.as_json(part.part))]
    assert isinstance(part, rules.Condition)
    tests = [fact for fact in part.facts if isinstance(fact, rules.PropertyTest)]
    if tests:
        return [message("miss_properties", tests=[t.json() for t in tests])]
    if views := [fact for fact in part.facts if isinstance(fact, rules.ViewsSoFar)]:
        return [message("miss_one_page", asked=views[0].least)]
    if place.kind == "tried" and getattr(part, "stage", "") == "":
        return [message("miss_success")]
    seen = rules.Occurrence(
        place.kind,  # type: ignore[arg-type]
        Address(place.page.host, place.page.path),
        element=place.element.traits if place.element else {},
        name=place.name,
        views=0,
    )
    return rules.misses(part, seen)
