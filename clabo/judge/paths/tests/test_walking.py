"""Paths against a plain loop over the hits that were sent."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from datetime import timedelta
from typing import Any

from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Device, Event, Kind, TrafficClass, Visit
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories
from clabo.collect.presence.models import Trail
from clabo.collect.presence.trails import pack
from clabo.core.audiences.predicates import read_what
from clabo.judge.paths.by_page import reached_by_page
from clabo.judge.paths.walking import PathReport, differences, path_report, whole_difference
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.models import Conversion
from clabo.setup.conversions.recount import recount_all
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, make_rule, make_site, receive

STEPS = st.sampled_from(
    [
        {"page": {"match": "equals", "value": "/a"}},
        {"page": {"match": "equals", "value": "/"}},
        {"any": [{"page": {"match": "equals", "value": p}} for p in ("/", "/thank-you")]},
        {"event": {"name": "x"}},
        {"event": {"name": "x", "where": [{"property": "value", "comparison": "at_least", "value": 10}]}},
        {"conversion": 0},
    ]
)


def happened(site: Site, step: dict[str, Any], visit: Visit, events: Sequence[Event]) -> list[Any]:
    """When a step happened in a visit, by its words."""
    if "conversion" in step:
        found = Conversion.objects.filter(rule_id=step["conversion"], visit=visit)
        return list(found.values_list("time", flat=True))
    if "event" in step:
        return [e.time for e in events if e.kind == Kind.MARK]
    paths = [one["page"]["value"] for one in step.get("any", [step])]
    return [e.time for e in events if e.kind == Kind.VIEW and e.page.path in paths]


def by_hand(
    site: Site,
    steps: list[dict[str, Any]],
    first: Any,
    last: Any,
    device: str,
    within: int | None,
    entered: dict[str, Any] | None = None,
) -> tuple[list[int], list[Counter[str]]]:
    """How many reached each step, and where those went next who left there."""
    devices = {d.label: d.value for d in Device}
    walkers: dict[Any, list[list[Any]]] = {}
    views: dict[Any, list[tuple[Any, str]]] = {}
    visits = Visit.objects.filter(site=site, traffic_class=TrafficClass.COUNTED)
    for visit in visits.filter(day__gte=first, day__lte=last, **(entered or {})).select_related("visitor"):
        if device != "any" and visit.device != devices[device]:
            continue
        who = visit.pk if within is None else visit.visitor_id
        events = list(Event.objects.filter(visit=visit).exclude(kind=Kind.SALE).select_related("page"))
        mine = walkers.setdefault(who, [[] for _ in steps])
        for times, step in zip(mine, steps, strict=True):
            times += happened(site, step, visit, events)
        views.setdefault(who, []).extend((e.time, e.page.path) for e in events if e.kind == Kind.VIEW)
    counts = [0] * len(steps)
    instead = [Counter[str]() for _ in steps]
    for who, times in walkers.items():
        at = reach(times, within)
        for place in range(len(at)):
            counts[place] += 1
        if 0 < len(at) < len(steps):
            later = sorted((t, p) for t, p in views[who] if t > at[-1])
            instead[len(at) - 1][later[0][1] if later else ""] += 1
    return counts, instead


def reach(times: list[list[Any]], within: int | None) -> list[Any]:
    """The earliest moment of each step that can be reached."""
    ways: list[tuple[Any, Any]] = [(t, t) for t in times[0]]
    found = []
    for place in range(len(times)):
        if place:
            ways = [(began, t) for began, at in ways for t in times[place] if t >= at]
        if within is not None:
            ways = [(began, t) for began, t in ways if t - began <= timedelta(seconds=within)]
        if not ways:
            break
        found.append(min(t for _, t in ways))
    return found


class Walked(TestCase):
    @settings(max_examples=25, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(
        histories,
        st.lists(STEPS, min_size=2, max_size=4),
        st.sampled_from(["any", "phone"]),
        st.sampled_from([None, None, 600, 5000]),
        st.sampled_from([1, 25]),
        st.randoms(use_true_random=False),
    )
    def test_they_are_what_the_hits_say(
        self, history: list[Act], steps: list[Any], device: str, within: int | None, stretch: int, chance: Any
    ) -> None:
        # One second each, for what comes next is not told apart within one moment.
        site = make_site()
        rule = make_rule(site, "/thank-you", counting="visit")
        recount_all()
        receive(envelopes_of(site, [replace(a, second=a.second * stretch) for a in history]))
        if chance.random() < 0.5:
            for day in list(Trail.objects.filter(site=site).values_list("day", flat=True)):
                pack(site.pk, day)
        steps = [{"conversion": rule.pk} if "conversion" in s else s for s in steps]
        first = START.date()
        last = first + timedelta(days=chance.choice([0, 2]))
        lens = read_lens(site, f"{first}..{last}", device=device)
        report = path_report(
            lens, [read_what(s) for s in steps], within, "device" if within is None else None
        )
        counts, instead = by_hand(site, steps, first, last, device, within)
        self.assertEqual(report.counts(), counts)
        for row, went in zip(report.steps, instead, strict=True):
            self.assertEqual(row.left, went.total())
            told = {(i.page.path if i.page else ""): i.count for i in row.instead}
            self.assertEqual(told, {p: went[p] for p in told})
            self.assertEqual(row.elsewhere, row.left - sum(told.values()))
        for place in range(len(steps)):
            self.assertEqual(
                sum(g.reached[place] for g in report.groups), counts[place] if within is None else 0
            )
        if within is None:
            by_page = reached_by_page(lens, [read_what(s) for s in steps])
            for page, found in by_page.items():
                entered = {"entry_page_id": page}
                self.assertEqual(found, by_hand(site, steps, first, last, device, None, entered)[0])
        self.rates(report, counts)

    def rates(self, report: PathReport, counts: list[int]) -> None:
        for place, row in enumerate(report.steps):
            if place and counts[place - 1]:
                assert row.rate is not None
                self.assertAlmostEqual(row.rate.estimate, counts[place] / counts[place - 1])
        for difference in differences(report, report):
            self.assertAlmostEqual(difference.more, 0)
        if len(report.steps) > 2:
            # Another path of the same visits: without its last step.
            shorter = replace(report, steps=report.steps[:-1])
            whole = whole_difference(report, shorter)
            a, b = counts, counts[:-1]
            if a[0]:
                self.assertAlmostEqual(whole.compared.difference.estimate, a[-1] / a[0] - b[-1] / b[0])
                self.assertAlmostEqual(whole.more, b[-1] - a[-1])
