"""A path under a lens: how many reached each step, how long it took, and where the others went."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from clabo.collect.events.models import Page
from clabo.core.audiences import Converted, What
from clabo.core.evidence import Counts, Interval, RateComparison, compare_rates, holm, rate_interval
from clabo.core.paths.walk import Walk, Whole, in_order, walk
from clabo.judge.paths.reading import Journeys, journeys, rows_of
from clabo.judge.paths.variants import arms_of, read_test
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import Lens
from clabo.setup.conversions.matching.selecting import Inventory

# What visits are told apart by; or a split test, as "test:<number>".
BY = ("device", "channel", "source", "page")
SHOWN_INSTEAD = 4
SHOWN_GROUPS = 8


@dataclass(frozen=True, slots=True)
class Instead:
    """Where those went who left: a page, or None for the end of the visit; and how many."""

    page: Page | None
    count: int


@dataclass(frozen=True, slots=True)
class StepRow:
    """A step: how many reached it, their share of the step before, half of them within so many seconds; who left there.

    `rate` and `seconds` are None for the first step; `elsewhere` is how many of those who left went to other pages.
    """

    reached: int
    rate: Interval | None
    seconds: float | None
    left: int
    instead: list[Instead]
    elsewhere: int


@dataclass(frozen=True, slots=True)
class Group:
    """The same for visits that are alike in one thing, counts only."""

    name: str
    reached: list[int]
    whole: Interval


@dataclass(frozen=True, slots=True)
class PathReport:
    """A path: its steps, how many went the whole way, and groups of visits side by side."""

    steps: list[StepRow]
    whole: Interval
    groups: list[Group]

    def counts(self) -> list[int]:
        """How many reached each step."""
        return [s.reached for s in self.steps]


@dataclass(frozen=True, slots=True)
class StepDifference:
    """A step's rate against the other lens's (first - other), its p-value adjusted for all steps by Holm's method."""

    compared: RateComparison
    p_value: float
    # If the step were gone on from at the other's rate, and the rest of the way as here: so many more at the end.
    more: float


def path_report(
    lens: Lens, steps: Sequence[What], within: int | None = None, by: str | None = None
) -> PathReport:
    """The path under the lens; `within` seconds for one person, None for within a visit.

    `by`: one of BY or a split test ("test:<number>"), to have groups of visits side by side. Raises Problem.
    """
    seen = journeys(lens)
    known = Inventory(lens.site.pk)
    # A step that stands several times is read once.
    of_step = {step: rows_of(step, seen, known) for step in dict.fromkeys(steps)}
    rows = [of_step[step] for step in steps]
    if within is None:
        walked = walk(rows)
    else:
        walked = walk([(seen.people[who].astype(np.int64), times) for who, times in rows], within * 1_000_000)
    counts = walked.counts()
    nexts = _nexts(walked, seen, within is not None)
    found = []
    for place, reached in enumerate(counts):
        left = walked.left(place)
        pages = Counter[int]()
        if left.any():
            nearest, many = np.unique(nexts[left], return_counts=True)
            pages = Counter(dict(zip(nearest.tolist(), many.tolist(), strict=True)))
        known_pages = Page.objects.in_bulk([p for p, _ in pages.most_common(SHOWN_INSTEAD) if p >= 0])
        instead = [Instead(known_pages.get(p), n) for p, n in pages.most_common(SHOWN_INSTEAD)]
        found.append(
            StepRow(
                reached,
                rate_interval(reached, counts[place - 1]) if place else None,
                walked.median_seconds(place) if place else None,
                int(left.sum()),
                instead,
                int(left.sum()) - sum(i.count for i in instead),
            )
        )
    groups = _groups(seen, walked, by) if by and within is None else []
    return PathReport(found, rate_interval(counts[-1], counts[0]), groups)


def _nexts(walked: Walk, seen: Journeys, of_people: bool) -> Whole:
    """The page that everybody viewed next who left, at whichever step: they left at one; -1 for none.

    `of_people`: those who walked are visitors by number, not visits.
    """
    left = walked.depth < len(walked.reached)
    # When the last step was that they reached.
    at = walked.reached[walked.depth - 1, np.arange(len(walked.who))]
    found = np.full(len(at), -1, dtype=np.int64)
    if not of_people:
        found[left] = seen.next_views(walked.who[left], at[left])[1]
        return found
    visits = np.flatnonzero(np.isin(seen.people, walked.who[left]))
    person = np.searchsorted(walked.who, seen.people[visits].astype(np.int64))
    times, pages = seen.next_views(visits, at[person])
    # The earliest of each stays: assigned last.
    order = np.argsort(times)[::-1]
    found[person[order]] = pages[order]
    return found


def _groups(seen: Journeys, walked: Walk, by: str) -> list[Group]:
    if by.startswith("test:"):
        names, of_group = arms_of(seen, read_test(seen.lens.site, by))
        # Variants stay in their order.
        return _counted(names, of_group[walked.who], walked)
    if by not in BY:
        raise Problem(f"Choose one of {', '.join(BY)}, or a split test.", "by")
    arrived = seen.arrivals[walked.who]
    values_of = seen.known.by(by)
    values = list(dict.fromkeys(values_of.get(int(a)) for a in np.flatnonzero(np.bincount(arrived))))
    place_of = {value: i for i, value in enumerate(values)}
    table = np.zeros(seen.known.size, dtype=np.int64)
    for atom, value in values_of.items():
        table[atom] = place_of.get(value, 0)
    pages = Page.objects.in_bulk([v for v in values if isinstance(v, int)]) if by == "page" else {}
    names = [str(pages.get(v, "no page")) if by == "page" else str(v or "direct") for v in values]
    found = _counted(names, table[arrived], walked)
    return sorted(found, key=lambda g: -g.reached[0])[:SHOWN_GROUPS]


def _counted(names: Sequence[str], of_group: Whole, walked: Walk) -> list[Group]:
    """The groups, by name, of which somebody came to the first step; the group of each who walked."""
    reached = [
        np.bincount(of_group[walked.at(step)], minlength=len(names)) for step in range(len(walked.reached))
    ]
    found = []
    for i, name in enumerate(names):
        counts = [int(r[i]) for r in reached]
        if counts and counts[0]:
            found.append(Group(name, counts, rate_interval(counts[-1], counts[0])))
    return found


def differences(here: PathReport, there: PathReport) -> list[StepDifference]:
    """Each step from the second on, here against there."""
    a, b = here.counts(), there.counts()
    compared = [
        compare_rates(Counts(b[i], b[i - 1]), Counts(a[i], a[i - 1])) if a[i - 1] and b[i - 1] else None
        for i in range(1, len(a))
    ]
    p_values = holm([c.p_value if c else 1.0 for c in compared])
    found = []
    for i, (one, p) in enumerate(zip(compared, p_values, strict=True), 1):
        if one is None:
            one = compare_rates(Counts(0, 0), Counts(0, 0))
        theirs = b[i] / b[i - 1] if b[i - 1] else 0.0
        rest = a[-1] / a[i] if a[i] else (b[-1] / b[i] if b[i] else 0.0)
        found.append(StepDifference(one, p, (a[i - 1] * theirs - a[i]) * rest))
    return found


def whole_difference(here: PathReport, there: PathReport) -> StepDifference:
    """Who went all the way of those at the first step, here against there; the paths may be two.

    Where both look at the same visits these are not apart: the interval is then wider than it need be, if whoever goes
    all of one way rather goes all of the other.
    """
    a, b = here.counts(), there.counts()
    compared = compare_rates(Counts(b[-1], b[0]), Counts(a[-1], a[0]))
    theirs = b[-1] / b[0] if b[0] else 0.0
    return StepDifference(compared, compared.p_value, a[0] * theirs - a[-1])


def proposals(lens: Lens, conversion: int, most: int = 5) -> list[tuple[list[int], int]]:
    """The most common ways to a conversion within a visit: pages before it in order, each once, and how many went so."""
    seen = journeys(lens)
    who, times = in_order(*rows_of(Converted(conversion), seen, Inventory(lens.site.pk)))
    first = np.unique(who, return_index=True)
    visits, at = first[0], times[first[1]]
    visit, when, what = seen.of_visits(visits)
    pages = seen.known.pages[what]
    some = (pages >= 0) & (when < at[visit])
    ways: dict[int, dict[int, None]] = {}
    for one, page in zip(visit[some].tolist(), pages[some].tolist(), strict=True):
        ways.setdefault(one, {})[page] = None
    counted: Counter[tuple[Any, ...]] = Counter(tuple(list(way)[:4]) for way in ways.values())
    return [(list(way), n) for way, n in counted.most_common(most)]
