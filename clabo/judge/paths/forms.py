"""A form's own steps under a lens: its page seen, begun, tried, sent; and the field at which it was left."""

from __future__ import annotations

import json
from collections import Counter, defaultdict
from collections.abc import Collection, Mapping
from dataclasses import dataclass, field
from datetime import datetime, timedelta
from typing import Any

import numpy as np
from django.db.models import BigIntegerField, Min
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Extract

from clabo.collect.events.models import Element, Event, Kind, Page
from clabo.collect.presence.models import Atom
from clabo.core.evidence import Interval, rate_interval
from clabo.core.paths.walk import walk
from clabo.core.rules.conditions.form import FormSubmitted
from clabo.judge.paths.reading import Journeys, journeys
from clabo.platform.db.arrays import in_array
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.matching.selecting import Inventory
from clabo.setup.sites.models import Site

# Seen is not among them: that is a view of its page. What came further has come so far.
REACHED_BY = {
    "begun": (Kind.BEGUN, Kind.TRIED, Kind.FORM),
    "tried": (Kind.TRIED, Kind.FORM),
    "sent": (Kind.FORM,),
}
MOST_FORMS = 30


@dataclass(frozen=True, slots=True)
class FormStep:
    """How many visits came so far, and their share of those at the step before (None for the first)."""

    name: str
    reached: int
    rate: Interval | None


@dataclass(frozen=True, slots=True)
class LeftAt:
    """A field, and how many visits that began the form and did not send it entered something there last."""

    field: str
    count: int


@dataclass(frozen=True, slots=True)
class FormReport:
    """A form: what is known of it, the pages it was acted on, its steps, and where it was left.

    `whole`: sent by visits that saw a page with it. `seconds`: half of those who sent it took at most so long from
    their first entry. `unknown`: of those who left, those of whom the field is not known. `rule`: what the rule
    language asks for to mean this form; None where that would mean others too.
    """

    traits: Mapping[str, Any]
    rule: Mapping[str, Any] | None
    pages: list[Page]
    steps: list[FormStep]
    whole: Interval
    seconds: float | None
    left: list[LeftAt]
    unknown: int


@dataclass(slots=True)
class _Form:
    traits: Mapping[str, Any]
    atoms: defaultdict[int, list[int]] = field(default_factory=lambda: defaultdict(list))
    elements: set[int] = field(default_factory=set)
    pages: Counter[int] = field(default_factory=Counter)


def form_reports(lens: Lens) -> list[FormReport]:
    """Every form that was acted on in visits the lens looks at, the most often begun first; within a visit."""
    site = lens.site
    seen = journeys(lens)
    atoms = seen.known
    found = _forms(site.pk, seen)[:MOST_FORMS]
    pages = Page.objects.in_bulk({p for f in found for p in f.pages})
    lefts = _lefts(lens, seen)
    known = Inventory(site.pk)
    reports = []
    for form in found:
        come_so_far = [
            atoms.viewing(form.pages),
            *([a for k in kinds for a in form.atoms[k]] for kinds in REACHED_BY.values()),
        ]
        walked = walk([seen.of_atoms(so_far) for so_far in come_so_far])
        counts = walked.counts()
        gave_up = set(walked.who[walked.at(1) & ~walked.at(3)].tolist())
        fields = _last_fields(gave_up, lefts[_key(form.traits)])
        steps = [
            FormStep(name, n, rate_interval(n, counts[i - 1]) if i else None)
            for i, (name, n) in enumerate(zip(("seen", *REACHED_BY), counts, strict=True))
        ]
        rule = FormSubmitted().exactly(form.traits)
        took = walked.reached[3][walked.at(3)] - walked.reached[1][walked.at(3)]
        reports.append(
            FormReport(
                form.traits,
                rule if _means_only(rule, form, known) else None,
                [pages[p] for p, _ in form.pages.most_common() if p in pages],
                steps,
                rate_interval(counts[3], counts[0]),
                float(np.median(took)) / 1e6 if len(took) else None,
                [LeftAt(name, n) for name, n in fields.most_common()],
                len(gave_up) - sum(fields.values()),
            )
        )
    return sorted(reports, key=lambda r: (-r.steps[1].reached, -r.steps[0].reached))


def begun_since(site: Site) -> datetime | None:
    """When the tag first told of a form that was begun; before that only those that were tried or sent are known."""
    since: datetime | None = Event.objects.filter(site=site, kind=Kind.BEGUN).aggregate(t=Min("time"))["t"]
    return since


def _means_only(rule: Mapping[str, Any], form: _Form, known: Inventory) -> bool:
    """Whether the rule holds for this form alone, of those that are known."""
    if not any(rule.values()):
        return False
    asked = FormSubmitted.read({**rule, "stage": "begun"})
    kinds = [kind.value for kind in REACHED_BY["begun"]]
    met = set(known.elements_met(asked))
    return all(_key(e.traits) == _key(form.traits) for e in known.elements if e.kind in kinds and e.pk in met)


def _key(traits: Mapping[str, Any]) -> str:
    """What the rule language takes for one form is one, whichever kind of event tells of it."""
    same = {"rule": FormSubmitted().exactly(traits), "origin": traits.get("origin")}
    return json.dumps(same, sort_keys=True)


def _forms(site_id: int, seen: Journeys) -> list[_Form]:
    """The forms that were acted on in these visits, the most often first."""
    often = seen.counts()
    rows = Atom.objects.filter(
        in_array("id", np.flatnonzero(often).tolist()),
        site_id=site_id,
        sort=Atom.Sort.EVENT,
        kind__in=REACHED_BY["begun"],
    ).exclude(element=None)
    forms: dict[str, _Form] = {}
    for atom, kind, page, element, traits in rows.values_list(
        "id", "kind", "page_id", "element_id", "element__traits"
    ):
        form = forms.setdefault(_key(traits), _Form(traits))
        form.atoms[kind].append(atom)
        form.elements.add(element)
        form.pages[page] += int(often[atom])
    return sorted(forms.values(), key=lambda f: -f.pages.total())


# Visits' places, times, and the field that was the last one then.
Lefts = list[tuple[int, int, str]]


def _lefts(lens: Lens, seen: Journeys) -> defaultdict[str, Lefts]:
    """When forms were left in these visits, and at which field; by form."""
    site = lens.site
    by_element = {
        pk: _key(traits)
        for pk, traits in Element.objects.filter(site=site, kind=Kind.LEFT).values_list("id", "traits")
    }
    at = Cast(Extract("time", "epoch") * 1_000_000, BigIntegerField())
    rows = list(
        Event.objects.in_counted_visits()
        .filter(
            site=site,
            kind=Kind.LEFT,
            time__gte=site.midnight(lens.first),
            time__lt=site.midnight(lens.last + timedelta(days=2)),
        )
        .values_list("visit_id", at, "element_id", KeyTextTransform("field", "properties"))
    )
    places = seen.places(np.array([row[0] for row in rows], dtype=np.int64))
    found: defaultdict[str, Lefts] = defaultdict(list)
    for place, (_, time, element, name) in zip(places.tolist(), rows, strict=True):
        if place >= 0 and element in by_element:
            found[by_element[element]].append((place, time, name or ""))
    return found


def _last_fields(gave_up: Collection[int], lefts: Lefts) -> Counter[str]:
    """At which field those gave up of whom it is known: the last that they are known to have been at."""
    last: dict[int, tuple[int, str]] = {}
    for place, time, name in lefts:
        if name and place in gave_up and time >= last.get(place, (-1, ""))[0]:
            last[place] = time, name
    return Counter(name for _, name in last.values())
