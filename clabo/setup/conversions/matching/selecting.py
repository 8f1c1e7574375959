"""A rule put to the database: the condition that holds for exactly the events that meet it.

`clabo.core.rules` decides over the inventories of pages and elements; the events are then found by their page
and element. Of pages, which may be many, the database first names those that could fit. Property tests hold this
equal to `rules.meets`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property, reduce, singledispatch
from operator import and_, or_
from typing import Any

from django.db.models import (
    BooleanField,
    Case,
    CharField,
    DecimalField,
    F,
    Func,
    JSONField,
    Q,
    QuerySet,
    TextField,
    Value,
    When,
)
from django.db.models.expressions import Combinable
from django.db.models.fields.json import KeyTextTransform, KeyTransform
from django.db.models.functions import Cast, Coalesce, Concat, Trim
from django.db.models.lookups import (
    Contains,
    Exact,
    GreaterThan,
    GreaterThanOrEqual,
    LessThan,
    LessThanOrEqual,
    Regex,
)

from clabo.collect.events.models import Element, Event, Kind, OfVisits, Page
from clabo.core import rules
from clabo.core.money.conversion_value import NUMBER
from clabo.core.pages.addresses import Address, PageReading
from clabo.platform.db.arrays import in_array
from clabo.setup.sites.models import Site

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
    _met: dict[Any, list[int]] = field(default_factory=dict)

    @cached_property
    def reading(self) -> PageReading:
        """How the site reads addresses, those of its rules among them."""
        return Site.objects.prefetch_related("hosts").get(pk=self.site_id).page_reading

    def pages(self, ids: Iterable[int]) -> dict[int, Page]:
        """These of the site's pages, to be shown, by id."""
        wanted = Page.objects.filter(in_array("id", set(ids)), site_id=self.site_id)
        return {p.pk: p for p in wanted.only("id", "host", "path", "title")}

    @cached_property
    def elements(self) -> Sequence[Element]:
        """All known elements."""
        return list(Element.objects.filter(site_id=self.site_id))

    def pages_met(self, page: rules.PageFits) -> list[int]:
        """Ids of the pages whose address fits."""
        if page not in self._met:
            likely = could_fit(self.site_id, page).values_list("id", "host", "path")
            self._met[page] = [pk for pk, host, path in likely if page.fits(Address(host, path))]
        return self._met[page]

    def elements_met(self, asked: rules.ElementCondition) -> list[int]:
        """Ids of the elements that fit."""
        if asked not in self._met:
            self._met[asked] = self.elements_missing(asked, 0)
        return self._met[asked]

    def elements_missing(
        self, asked: rules.ElementCondition, traits: int, kind: rules.Kind | None = None
    ) -> list[int]:
        """Ids of the elements of its kinds, or of `kind`, in which just so many traits differ."""
        numbers = _numbers((kind,) if kind else asked.kinds())
        return [
            e.pk for e in self.elements if e.kind in numbers and len(asked.element_misses(e.traits)) == traits
        ]


def could_fit(site_id: int, page: rules.PageFits) -> QuerySet[Page]:
    """The site's pages without most of those whose address does not fit."""
    pages = Page.objects.filter(site_id=site_id)
    if page.match == "pattern":
        return pages
    if page.match == "contains" or not page.value.startswith("/"):
        subject, pages = "address", pages.alias(address=Concat("host", "path", output_field=TextField()))
    else:
        subject = "path"
    how = {"equals": "exact", "begins": "startswith", "contains": "contains"}[page.match]
    return pages.filter(**{f"{subject}__{how}": page.value})


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
    return reduce(and_, (met(fact, known) for fact in rule.facts))


def on_pages(ids: list[int]) -> Q:
    """The condition that an event happened on one of the pages."""
    return in_array("page_id", ids)


@singledispatch
def met(fact: rules.Fact, known: Inventory) -> Q:
    """The condition on Event under which it fulfils `fact`. Two-valued."""
    raise NotImplementedError(type(fact).__name__)


@singledispatch
def nearly(fact: rules.Fact, known: Inventory) -> Q | None:
    """What comes near: the same kind of thing with one trait that differs; None where nothing does."""
    return None


def _numbers(kinds: Iterable[rules.Kind]) -> list[int]:
    return [Kind[kind.upper()].value for kind in kinds]


@met.register
def _(fact: rules.OfKind, known: Inventory) -> Q:
    return Q(kind=Kind[fact.kind.upper()])


@met.register
def _(fact: rules.PageFits, known: Inventory) -> Q:
    return on_pages(known.pages_met(fact))


@nearly.register
def _(fact: rules.PageFits, known: Inventory) -> Q | None:
    if not fact.alike_words():
        return None
    likely = Page.objects.filter(site_id=known.site_id, path__icontains=fact.words())
    rows = likely.values_list("id", "host", "path")
    return on_pages([pk for pk, host, path in rows if fact.alike(Address(host, path))])


@met.register
def _(fact: rules.HasParameter, known: Inventory) -> Q:
    inside = fact.needle()
    first = inside[1:]
    if not fact.value:
        return Q(query__startswith=first) | Q(query__contains=inside)
    return (
        Q(query=first[:-1])
        | Q(query__startswith=first)
        | Q(query__endswith=inside[:-1])
        | Q(query__contains=inside)
    )


@met.register
def _(fact: rules.OnElement, known: Inventory) -> Q:
    return Q(kind__in=_numbers(fact.asked.kinds()), element_id__in=known.elements_met(fact.asked))


@nearly.register
def _(fact: rules.OnElement, known: Inventory) -> Q | None:
    if not fact.near:
        return None
    asked = fact.asked
    near = Q(kind__in=_numbers(asked.kinds()), element_id__in=known.elements_missing(asked, 1))
    if fact.tried:
        near |= Q(kind=Kind.TRIED, element_id__in=known.elements_missing(asked, 0, "tried"))
    return near


@met.register
def _(fact: rules.Named, known: Inventory) -> Q:
    return Q(name=fact.name)


@met.register
def _(fact: rules.PropertyTest, known: Inventory) -> Q:
    return _property(fact)


@nearly.register
def _(fact: rules.PropertyTest, known: Inventory) -> Q | None:
    return Q()


@met.register
def _(fact: rules.Reached, known: Inventory) -> Q:
    return _property(rules.PropertyTest("reached", "at_least", float(fact.least)))


@met.register
def _(fact: rules.ViewsSoFar, known: Inventory) -> Q:
    return Q(views__gte=fact.least)


@nearly.register
def _(fact: rules.ViewsSoFar, known: Inventory) -> Q | None:
    return Q(views=fact.least - 1) if fact.least > 1 else None


def _property(test: rules.PropertyTest) -> Q:
    """The comparison as a CASE, so that a missing property is false and never unknown."""
    value = KeyTransform(test.property, F("properties"))
    if test.comparison in _NUMERIC:
        text = Trim(_text(test.property))
        number = Case(
            When(_typed(value, "number"), then=value),
            When(
                Q(_typed(value, "string")) & Q(Regex(text, Value(f"^{NUMBER}$"))),
                then=Func(
                    Cast(text, DecimalField(max_digits=20, decimal_places=10)),
                    function="to_jsonb",
                    output_field=JSONField(),
                ),
            ),
            output_field=JSONField(),
        )
        found = Coalesce(number, Value(None, output_field=JSONField()), output_field=JSONField())
        met = Q(_typed(found, "number")) & Q(_NUMERIC[test.comparison](found, _json(test.value)))
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


def _typed(value: Combinable, kind: str) -> Exact:
    return Exact(Func(value, function="jsonb_typeof", output_field=CharField()), kind)


def events_met(site_id: int, rule: rules.Rule, known: Inventory | None = None) -> OfVisits[Event]:
    """The site's events that meet `rule`."""
    return Event.objects.filter(condition(rule, known or Inventory(site_id)), site_id=site_id)


def success_pages(rule: rules.Rule, known: Inventory) -> set[int]:
    """Ids of the pages on whose being reached `rule` rests."""
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        return {page for part in rule.parts for page in success_pages(part, known)}
    if isinstance(rule, rules.Not) or rules.OfKind("view") not in rule.facts:
        return set()
    return {page for fact in rule.facts if isinstance(fact, rules.PageFits) for page in known.pages_met(fact)}
