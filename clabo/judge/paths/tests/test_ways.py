"""Ways against a plain loop over stored visits, and against the landing page report."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace
from datetime import timedelta
from typing import Any

from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event, Kind, Page, TrafficClass, Visit
from clabo.collect.pipeline.tests.test_runner import Act, envelopes_of, histories
from clabo.collect.presence.models import Trail
from clabo.collect.presence.trails import pack
from clabo.judge.paths.page_flow import ways
from clabo.judge.reports.pages.table import page_rows
from clabo.setup.conversions.lens import read_lens
from clabo.testing.asking import Member
from clabo.testing.traffic import START, make_site, receive, walk


class AgainstVisits(TestCase):
    @settings(max_examples=15, deadline=None)
    @given(histories, st.sampled_from(["any", "phone"]), st.booleans())
    def test_they_are_what_the_visits_say(self, history: list[Act], device: str, packed: bool) -> None:
        site = make_site()
        receive(envelopes_of(site, [replace(a, second=a.second * 25) for a in history]))
        if packed:
            for day in list(Trail.objects.filter(site=site).values_list("day", flat=True)):
                pack(site.pk, day)
        first = START.date()
        lens = read_lens(site, f"{first}..{first + timedelta(days=1)}", device=device)
        visits = Visit.objects.filter(site=site, traffic_class=TrafficClass.COUNTED, views__gt=0)
        visits = visits.filter(day__gte=lens.first, day__lte=lens.last)
        if lens.device:
            visits = visits.filter(device=lens.device)
        orders = [
            list(
                Event.objects.filter(visit=v, kind=Kind.VIEW)
                .order_by("time")
                .values_list("page_id", flat=True)
            )
            for v in visits
        ]
        rows = page_rows(lens)
        for page in Page.objects.filter(site=site):
            found = ways(lens, page)
            expected: dict[int, Counter[int | None]] = {d: Counter() for d in (-3, -2, -1, 1, 2, 3)}
            for order in orders:
                for place, one in enumerate(order):
                    for d in expected if one == page.pk else ():
                        nearer, there = place + d - (1 if d > 0 else -1), place + d
                        if 0 <= nearer < len(order):
                            expected[d][order[there] if 0 <= there < len(order) else None] += 1
            got = {
                c.distance: Counter({n.page.pk if n.page else None: n.count for n in c.neighbours})
                for c in found.columns
            }
            self.assertEqual(got, expected)
            # The same exits and entries as Pages counts.
            row: Any = rows.get(page.pk)
            self.assertEqual(got[1][None], row.exits if row else 0)
            self.assertEqual(got[-1][None], row.entries if row else 0)


class Asked(TestCase):
    def test_only_of_some(self) -> None:
        site = make_site()
        roads = [("/a", "/b", "/c"), ("/a", "/b"), ("/x", "/b", "/c"), ("/b",)]
        receive([h for n, road in enumerate(roads, 1) for h in walk(site, n, START, *road)])
        ids = {p.path: p.pk for p in Page.objects.all()}
        member = Member(site)
        words = f"page={ids['/b']}&period=2026-10-01..2026-10-31"
        said = member.ask("GET", f"/ways?{words}&at=-1:{ids['/a']}")
        self.assertEqual((said["views"], said["asked"]), (4, 2))
        after = next(c for c in said["columns"] if c["distance"] == 1)
        self.assertEqual({n["path"]: n["count"] for n in after["neighbours"]}, {"/c": 1, None: 1})
        said = member.ask("GET", f"/ways?{words}&at=-1:none&at=1:none")
        self.assertEqual(said["asked"], 1)
        for wrong, field in ((f"page={10**9}", "page"), (f"{words}&at=4:1", "at"), (f"{words}&at=x", "at")):
            self.assertEqual(
                member.ask("GET", f"/ways?{wrong}", status=404 if field == "page" else 422)["field"], field
            )
