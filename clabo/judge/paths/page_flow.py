"""From one page, what came before and after it in the visits that a lens looks at."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from clabo.collect.events.models import Page
from clabo.core.evidence import Interval, rate_interval
from clabo.core.paths.page_flow import NOTHING, around, counted
from clabo.core.paths.walk import each
from clabo.judge.paths.reading import journeys
from clabo.setup.conversions.lens import Lens

REACH = 3
SHOWN = 8


@dataclass(frozen=True, slots=True)
class Neighbour:
    """A page at some distance, or None: the visit began, or ended, there; how many of the column's and their share."""

    page: Page | None
    count: int
    share: Interval


@dataclass(frozen=True, slots=True)
class WayColumn:
    """What stands at a distance: -1 is the page before, 1 the next. `total` views have something one nearer."""

    distance: int
    total: int
    neighbours: list[Neighbour]
    # At pages beyond those that are named, and how many pages those are.
    further: int
    further_pages: int


@dataclass(frozen=True, slots=True)
class Ways:
    """Of `views` of the page those that are as asked, and what stands around them."""

    page: Page
    views: int
    asked: int
    columns: list[WayColumn]


def ways(lens: Lens, page: Page, only: Mapping[int, int] | None = None) -> Ways:
    """What came before and after the page; `only` of views that have these pages at these distances (NOTHING: none)."""
    seen = journeys(lens)
    # Only the visits that came to the page, and of these the views.
    came = each(seen.of_atoms(seen.known.viewing([page.pk]))[0])
    who, _, what = seen.of_visits(came)
    pages = seen.known.pages[what]
    viewed = pages >= 0
    places = around(who[viewed], pages[viewed], page.pk, REACH)
    found = counted(places, REACH, only)
    by_id = Page.objects.in_bulk([p for of in found.values() for p in of if p != NOTHING])
    return Ways(
        page,
        len(places),
        sum(found[1].values()),
        [_column(distance, found[distance], by_id) for distance in sorted(found)],
    )


def _column(distance: int, counts: Mapping[int, int], by_id: Mapping[int, Page]) -> WayColumn:
    total = sum(counts.values())
    ranked = sorted(counts.items(), key=lambda item: (-item[1], item[0]))
    # The end of the visit is always named, however few.
    named = [item for place, item in enumerate(ranked) if place < SHOWN or item[0] == NOTHING]
    rest = [item for item in ranked if item not in named]
    return WayColumn(
        distance,
        total,
        [Neighbour(by_id.get(p), n, rate_interval(n, total)) for p, n in named],
        sum(n for _, n in rest),
        len(rest),
    )
