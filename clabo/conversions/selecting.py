"""A rule put to the database: the condition that holds for exactly the events that meet it.

`clabo.core.rules` decides over the inventories of pages and elements; the events are then found by their page
and element. Of pages, which may be many, the database first names those that could fit. Property tests hold this
equal to `rules.meets`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property, reduce
from operator import and_, or_
from typing import Any

from django.db.models import (
    BooleanField,
    Case,
    CharField,
    F,
    Func,
    JSONField,
    Q,
    QuerySet,
    TextField,
    Value,
    When,
)
from django.db.models.fields.json import KeyTextTransform, KeyTransform
from django.db.models.functions import Concat
from django.db.models.lookups import (
    Contains,
    Exact,
    GreaterThan,
    GreaterThanOrEqual,
    LessThan,
    LessThanOrEqual,
)

from clabo.core import rules
from clabo.core.addresses import Address
from clabo.db.arrays import in_array
from clabo.events.models import Element, Event, Kind, OfVisits, Page

_NUMERIC = {
    "at_least": GreaterThanOrEqual,
    "at_most": LessThanOrEqual,
    "above": GreaterThan,
    "below": LessThan,
}


@dataclass
class Inventory:
    """The pages and elements of one site that rules are decided over; each is read when first asked for."""

    site_id: int
    _met: dict[rules.Leaf, list[int]] = field(default_factory=dict)

    def pages(self, ids: Iterable[int]) -> dict[int, Page]:
        """These of the site's pages, to be shown, by id."""
        wanted = Page.objects.filter(in_array("id", set(ids)), site_id=self.site_id)
        return {p.pk: p for p in wanted.only("id", "host", "path", "title")}

    @cached_property
    def elements(self) -> Sequence[Element]:
        """All known elements."""
        return list(Element.objects.filter(site_id=self.site_id))

    def pages_met(self, leaf: rules.PageReached | rules.OnPage) -> list[int]:
        """Ids of the pages whose address fits."""
        if leaf not in self._met:
            likely = could_fit(self.site_id, leaf).values_list("id", "host", "path")
            self._met[leaf] = [pk for pk, host, path in likely if leaf.fits(Address(host, path))]
        return self._met[leaf]

    def elements_met(self, leaf: Any) -> list[int]:
        """Ids of the elements that fit."""
        if leaf not in self._met:
            kind = Kind[leaf.kind.upper()]
            self._met[leaf] = [
                e.pk for e in self.elements if e.kind == kind and not leaf.element_misses(e.traits)
            ]
        return self._met[leaf]


def could_fit(site_id: int, leaf: rules.PageReached | rules.OnPage) -> QuerySet[Page]:
    """The site's pages without most of those whose address does not fit."""
    pages = Page.objects.filter(site_id=site_id)
    if leaf.match == "pattern":
        return pages
    if leaf.match == "contains" or not leaf.value.startswith("/"):
        subject, pages = "address", pages.alias(address=Concat("host", "path", output_field=TextField()))
    else:
        subject = "path"
    how = {"equals": "exact", "begins": "startswith", "contains": "contains"}[leaf.match]
    return pages.filter(**{f"{subject}__{how}": leaf.value})


def condition(rule: rules.Rule, known: Inventory, swap: tuple[rules.Rule, Q] | None = None) -> Q:
    """The condition on Event under which it meets `rule`. Two-valued: it may be negated.

    `swap` puts another condition in the place of one part, which is meant by identity.
    """
    if swap and rule is swap[0]:
        return swap[1]
    if isinstance(rule, rules.AllOf):
        return reduce(and_, (condition(part, known, swap) for part in rule.parts))
    if isinstance(rule, rules.AnyOf):
        return reduce(or_, (condition(part, known, swap) for part in rule.parts))
    if isinstance(rule, rules.Not):
        return ~condition(rule.part, known, swap)
    return leaf_condition(rule, known)


def on_pages(ids: list[int]) -> Q:
    """The condition that an event happened on one of the pages."""
    return in_array("page_id", ids)


def leaf_condition(leaf: rules.Leaf, known: Inventory) -> Q:
    if isinstance(leaf, rules.PageReached):
        return Q(kind=Kind.VIEW) & on_pages(known.pages_met(leaf))
    if isinstance(leaf, rules.OnPage):
        return on_pages(known.pages_met(leaf))
    if isinstance(leaf, rules.Parameter):
        inside = leaf.needle()
        first = inside[1:]
        if not leaf.value:
            return Q(query__startswith=first) | Q(query__contains=inside)
        return (
            Q(query=first[:-1])
            | Q(query__startswith=first)
            | Q(query__endswith=inside[:-1])
            | Q(query__contains=inside)
        )
    if isinstance(leaf, rules.CodeEvent):
        named = Q(kind=Kind.MARK, name=leaf.name)
        return reduce(and_, (_property(test) for test in leaf.where), named)
    if isinstance(leaf, rules.PagesSeen):
        return Q(views__gte=leaf.least)
    if isinstance(leaf, rules.Stayed | rules.Scrolled):
        reached = rules.PropertyTest("reached", "at_least", float(leaf.least))
        return Q(kind=Kind[leaf.kind.upper()]) & _property(reached)
    if isinstance(leaf, rules.BridgeStep | rules.SaleReported):
        found = Q(kind=Kind[leaf.kind.upper()])
        return found & Q(name=leaf.link) if leaf.link else found
    return Q(kind=Kind[leaf.kind.upper()], element_id__in=known.elements_met(leaf))


def _property(test: rules.PropertyTest) -> Q:
    """The comparison as a CASE, so that a missing property is false and never unknown."""
    value = KeyTransform(test.property, F("properties"))
    if test.comparison in _NUMERIC:
        met = Q(_typed(value, "number")) & Q(_NUMERIC[test.comparison](value, _json(test.value)))
    elif test.comparison == "contains":
        met = Q(_typed(value, "string")) & Q(Contains(_text(test.property), test.value))
    else:
        met = Q(Exact(value, _json(test.value)))
    decided = Case(When(met, then=Value(True)), default=Value(False), output_field=BooleanField())
    return ~Q(decided) if test.comparison == "is_not" else Q(decided)


def _json(value: Any) -> Value:
    return Value(value, output_field=JSONField())


def _text(name: str) -> KeyTextTransform:
    return KeyTextTransform(name, F("properties"), output_field=TextField())


def _typed(value: KeyTransform, kind: str) -> Exact:
    return Exact(Func(value, function="jsonb_typeof", output_field=CharField()), kind)


def events_met(site_id: int, rule: rules.Rule, known: Inventory | None = None) -> OfVisits[Event]:
    """The site's events that meet `rule`."""
    return Event.objects.filter(condition(rule, known or Inventory(site_id)), site_id=site_id)


def success_pages(rule: rules.Rule, known: Inventory) -> set[int]:
    """Ids of the pages on whose being reached `rule` rests."""
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        return {page for part in rule.parts for page in success_pages(part, known)}
    return set(known.pages_met(rule)) if isinstance(rule, rules.PageReached) else set()
