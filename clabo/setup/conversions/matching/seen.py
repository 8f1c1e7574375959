"""What has been seen on a site's pages that rules can be made of: forms, clicks, messages, events."""

from __future__ import annotations

from collections import Counter, defaultdict
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from django.db.models import Count, Max, Q

from clabo.collect.events.models import KIND_NAMES, Element, Event, Kind, Page
from clabo.platform.db.arrays import in_array
from clabo.setup.sites.models import Site

ACTS = (
    Kind.MARK,
    Kind.FORM,
    Kind.TRIED,
    Kind.BEGUN,
    Kind.CLICK,
    Kind.MESSAGE,
    Kind.SHOWN,
    Kind.STEP,
    Kind.SALE,
)


@dataclass(slots=True)
class Seen:
    """One thing, how often and where it was seen, own visits and bots included."""

    kind: str
    name: str
    element: Element | None
    last_at: datetime
    times: int = 0
    pages: list[tuple[Page, int]] = field(default_factory=list)
    # Of events from code: the properties that they carried, most often first.
    properties: list[str] = field(default_factory=list)


def seen_on(site: Site, kind: str | None = None, days: int = 90, most: int = 300) -> list[Seen]:
    """What was seen in the last `days` days, most often first; of one kind where `kind` is given."""
    kinds = [Kind[kind.upper()]] if kind else ACTS
    events = Event.objects.filter(
        site=site, kind__in=kinds, time__gte=datetime.now(UTC) - timedelta(days=days)
    )
    # First which, of the many that there may be, and then on which pages.
    things = list(
        events.values_list("kind", "name", "element_id")
        .annotate(n=Count("id"), last=Max("time"))
        .order_by("-n")[:most]
    )
    whichever = in_array("name", {t[1] for t in things}, "text")
    elements_of = {t[2] for t in things if t[2]}
    rows = list(
        events.filter(whichever, Q(element=None) | in_array("element_id", elements_of))
        .values_list("kind", "name", "element_id", "page_id")
        .annotate(n=Count("id"))
        .order_by("-n")[: most * 100]
    )
    elements = Element.objects.in_bulk(elements_of)
    found = {
        (kind_number, name, element_id): Seen(
            KIND_NAMES[kind_number], name, elements.get(element_id), last, times
        )
        for kind_number, name, element_id, times, last in things
    }
    pages = Page.objects.in_bulk({row[3] for row in rows})
    for kind_number, name, element_id, page_id, n in rows:
        if one := found.get((kind_number, name, element_id)):
            one.pages.append((pages[page_id], n))
    top = list(found.values())
    for name, properties in _properties(site, {s.name for s in top if s.kind == "mark"}).items():
        for one in top:
            if one.kind == "mark" and one.name == name:
                one.properties = [p for p, _ in properties.most_common(20)]
    return top


def _properties(site: Site, names: set[str]) -> dict[str, Counter[str]]:
    """The properties that the last few events of each name carried."""
    found: defaultdict[str, Counter[str]] = defaultdict(Counter)
    for name in sorted(names)[:50]:
        last = Event.objects.filter(site=site, name=name, kind=Kind.MARK).order_by("-time")[:50]
        for properties in last.values_list("properties", flat=True):
            found[name].update((properties or {}).keys())
    return found
