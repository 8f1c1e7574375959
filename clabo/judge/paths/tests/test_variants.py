"""A path by the variants of a split test, against a plain look at each visit."""

from __future__ import annotations

import random
from datetime import timedelta

from django.test import TestCase

from clabo.collect.events.models import Event, Page, Visit, Visitor
from clabo.core.audiences.predicates import read_what
from clabo.judge.paths.walking import path_report
from clabo.judge.splits.models import Exposure, SplitTest, Variant
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.testing.traffic import START, make_rule, make_site, receive, walk

STEPS = [{"page": {"match": "equals", "value": path}} for path in ("/a", "/b")]


class Variants(TestCase):
    def test_each_visit_is_of_what_its_visitor_had_seen_by_its_end(self) -> None:
        chance = random.Random(8)
        site = make_site()
        rule = make_rule(site, "/order")
        hits = []
        for visitor in range(1, 31):
            for day in range(chance.randint(1, 4)):
                paths = chance.choice([("/a",), ("/a", "/b"), ("/b", "/a"), ("/c",), ("/a", "/c", "/b")])
                hits += walk(site, visitor, START + timedelta(days=day, hours=visitor % 5), *paths)
        receive(hits)
        test = SplitTest.objects.create(
            **{"site": site, "name": "T", "rule": rule, "baseline": 0.1, "smallest_lift": 0.5},
            **{"planned_visitors": 900, "started_at": START, "state": "running"},
        )
        for letter, page in zip("AB", Page.objects.order_by("path"), strict=False):
            Variant.objects.create(test=test, letter=letter, host=page.host, path=page.path, share=50)
        for visitor in Visitor.objects.filter(site=site):
            if chance.random() < 0.8:
                visit = chance.choice(list(Visit.objects.filter(visitor=visitor)))
                at = visit.started_at + timedelta(seconds=chance.choice([0, 30, 90_000]))
                Exposure.objects.create(
                    **{"test": test, "site": site, "visitor": visitor, "visit_id": visit.pk},
                    **{"letter": chance.choice("AB"), "first_at": at, "day": at.date()},
                )
        lens = read_lens(site, f"{START:%Y-%m-%d}..{START + timedelta(days=4):%Y-%m-%d}")
        report = path_report(lens, [read_what(s) for s in STEPS], None, f"test:{test.pk}")
        expected: dict[str, list[int]] = {"A": [0, 0], "B": [0, 0], "not in the test": [0, 0]}
        for visit in Visit.objects.filter(site=site):
            events = list(Event.objects.filter(visit=visit).order_by("time").select_related("page"))
            sight = Exposure.objects.filter(visitor=visit.visitor, first_at__lte=events[-1].time).first()
            seen = [e.page.path for e in events if e.page]
            if "/a" in seen:
                reached = expected[sight.letter if sight else "not in the test"]
                reached[0] += 1
                reached[1] += "/b" in seen[seen.index("/a") :]
        self.assertEqual({g.name: g.reached for g in report.groups}, expected)
        for wrong in ("test:0", "test:x", "colour"):
            with self.assertRaises(Problem):
                path_report(lens, [read_what(s) for s in STEPS], None, wrong)
