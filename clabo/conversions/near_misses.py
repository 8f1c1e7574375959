"""Near misses: events that meet all of a rule but one condition."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import reduce
from operator import add, or_

from django.db.models import Case, Count, IntegerField, Q, QuerySet, Value, When

from clabo.conversions.places import Place
from clabo.conversions.selecting import Inventory, condition, leaf_condition, on_pages
from clabo.core import rules
from clabo.core.addresses import Address
from clabo.core.rehearsal import alike, last_words
from clabo.events.models import KIND_NAMES, Event, Kind, Page

MOST_NEAR = 20
# So many parts of a rule are looked at for near misses.
MOST_PARTS = 8


@dataclass(frozen=True, slots=True)
class NearMiss:
    """Events that meet all of a rule but one condition, and which."""

    place: Place
    reason: str


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
    which = reduce(add, (_bit(i, met) for i, met in enumerate(swapped)))
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
            NearMiss(place, _reason(part, place)) for i, (part, _) in enumerate(looked_at) if bits & 1 << i
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
    """What nearly meets one part: the same kind of thing, with one trait that differs."""
    if isinstance(part, rules.Not):
        return condition(part.part, known)
    if isinstance(part, rules.PageReached | rules.OnPage):
        likely = [
            pk
            for pk, host, path in _alike(part, known.site_id)
            if not part.fits(Address(host, path)) and alike(part.match, part.value, path)
        ]
        kind = Q(kind=Kind.VIEW) if isinstance(part, rules.PageReached) else Q()
        return kind & on_pages(likely)
    if isinstance(part, rules.FormSubmitted | rules.FrameMessage | rules.Clicked):
        kind_number = Kind[part.kind.upper()]
        one_off = [
            e.pk for e in known.elements if e.kind == kind_number and len(part.element_misses(e.traits)) == 1
        ]
        nearly = Q(kind=kind_number, element_id__in=one_off)
        if isinstance(part, rules.FormSubmitted):
            tried = [
                e.pk for e in known.elements if e.kind == Kind.TRIED and not part.element_misses(e.traits)
            ]
            nearly |= Q(kind=Kind.TRIED, element_id__in=tried)
        return nearly
    if isinstance(part, rules.CodeEvent) and part.where:
        nearly = Q(kind__in=[])
        for place in range(len(part.where)):
            others = part.where[:place] + part.where[place + 1 :]
            nearly |= leaf_condition(rules.CodeEvent(part.name, others), known)
        return nearly
    if isinstance(part, rules.PagesSeen) and part.least > 1:
        return Q(views=part.least - 1)
    return None


def _alike(part: rules.PageReached | rules.OnPage, site_id: int) -> Iterable[tuple[int, str, str]]:
    """Id, host and path of the pages that may be alike."""
    if not alike(part.match, part.value, part.value):
        return ()
    pages = Page.objects.filter(site_id=site_id, path__icontains=last_words(part.value))
    return pages.values_list("id", "host", "path")


def _reason(part: rules.Rule, place: Place) -> str:
    if isinstance(part, rules.Not):
        return f"{rules.sentence(part.part)}, and must not"
    if isinstance(part, rules.CodeEvent):
        return f"its properties do not meet: {', '.join(t.reading() for t in part.where)}"
    seen = rules.Occurrence(
        place.kind,  # type: ignore[arg-type]
        Address(place.page.host, place.page.path),
        element=place.element.traits if place.element else {},
        name=place.name,
        views=0,
    )
    if isinstance(part, rules.PagesSeen):
        return f"one page short of {part.least}"
    if place.kind == "tried":
        return "it was tried, and no success was seen: name the thank-you that appears"
    return "; ".join(rules.misses(part, seen))
