"""Reports and tests as JSON, where there is little or nothing to say."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.core.evidence import rate_interval
from clabo.core.splits.assignment import assign
from clabo.judge.splits.models import SplitTest
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk


class Sparse(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.member = Member(self.site)

    def test_nothing_at_all(self) -> None:
        report = self.member.ask("GET", "/pages?compare=before")
        self.assertEqual((report["rows"], report["findings"], report["lens"]["conversion"]), ([], [], None))
        self.assertIsNone(report["together"])
        self.assertEqual(self.member.ask("GET", "/tests"), [])
        self.assertEqual(self.member.ask("GET", "/live")["hits"], [])

    def test_how_far_visits_got_along_a_path_by_the_page_that_they_entered_on(self) -> None:
        rule = make_rule(self.site, "/thank-you")
        now = datetime.now(UTC) - timedelta(hours=2)
        roads = [("/a", "/cart", "/thank-you"), ("/a", "/cart"), ("/a",), ("/b", "/thank-you"), ("/cart",)]
        receive([h for n, road in enumerate(roads, 1) for h in walk(self.site, n, now, *road)])
        steps = [{"page": {"match": "equals", "value": "/cart"}}, {"conversion": rule.pk}]
        path = self.member.ask("POST", "/paths", {"name": "Way", "steps": steps})["id"]
        said = self.member.ask("GET", f"/pages?path={path}&compare=before")
        self.assertEqual((said["path"]["name"], len(said["path"]["says"])), ("Way", 2))
        reached = {r["path"]: [s["reached"] for s in r["steps"]] for r in said["rows"]}
        self.assertEqual(reached["/a"], [2, 1])
        self.assertEqual((reached["/b"], reached["/cart"]), ([0, 0], [1, 0]))
        a = next(r for r in said["rows"] if r["path"] == "/a")["steps"]
        rates = [rate_interval(2, 3), rate_interval(1, 2)]
        self.assertEqual([(s["rate"]["low"], s["rate"]["high"]) for s in a], [(r.low, r.high) for r in rates])
        self.assertEqual(self.member.ask("GET", "/pages")["rows"][0]["steps"], [])
        later = self.member.ask("POST", "/paths", {"name": "Later", "steps": steps, "within": 3600})["id"]
        self.assertEqual(self.member.ask("GET", f"/pages?path={later}", status=422)["field"], "path")
        self.member.ask("GET", f"/pages?path={10**9}", status=404)

    def test_one_visit_each_and_no_number_that_is_none(self) -> None:
        rule = make_rule(self.site, "/thank-you", value=Decimal(59))
        now = datetime.now(UTC) - timedelta(hours=2)
        receive(walk(self.site, 1, now, "/a") + walk(self.site, 2, now, "/b", "/thank-you"))
        a, b = (Page.objects.get(path=path).pk for path in ("/a", "/b"))
        rows = {r["path"]: r for r in self.member.ask("GET", "/pages")["rows"]}
        self.assertEqual((rows["/b"]["conversion_rate"]["estimate"], rows["/b"]["thin"]), (1, True))
        self.assertIsNone(rows["/a"]["roas"])
        self.assertIsNone(rows["/thank-you"]["conversion_rate"])
        found = self.member.ask("GET", f"/pages/compare?a={a}&b={b}")
        # One of one against none of one: the ratio has no upper limit and no estimate.
        self.assertEqual((found["ratio"]["estimate"], found["ratio"]["high"]), (None, None))
        self.assertEqual(found["method"], "boschloo")
        body = {
            "name": "T",
            "conversion": rule.pk,
            "addresses": ["/a", "/b"],
            "shares": [50, 50],
            "baseline": 0.1,
            "smallest_lift": 0.5,
        }
        plan = self.member.ask("POST", "/tests/plan", body)
        self.assertEqual((plan["recorded_visitors"], plan["recorded_converted"], plan["unseen"]), (1, 0, []))
        made = self.member.ask("POST", "/tests", body)
        self.member.ask("POST", f"/tests/{made['id']}/start")
        result = self.member.ask("GET", f"/tests/{made['id']}")
        self.assertEqual((result["verdict"]["kind"], result["arms"][0]["chance"]), ("no_data", None))
        self.member.ask("POST", f"/tests/{made['id']}/end")

    def test_a_lifetime_and_a_changed_rule_stand_beside_the_plain_numbers(self) -> None:
        fields = {"name": "order", "category": "purchase", "counting": "visit"}
        worth = {"value": "59", "value_property": "", "lifetime_factor": "1.6"}
        page = {"page": {"match": "equals", "value": "/thank-you"}}
        rule = self.member.ask("POST", "/conversions", {**fields, **worth, "rule": page})
        now = datetime.now(UTC)
        ago = now - timedelta(hours=2)
        receive(walk(self.site, 1, ago, "/a", "/thank-you") + walk(self.site, 3, ago, "/b"))
        body = {"name": "T", "conversion": rule["id"], "addresses": ["/a", "/b"], "shares": [50, 50]}
        made = self.member.ask("POST", "/tests", {**body, "baseline": 0.1, "smallest_lift": 0.5})
        self.member.ask("POST", f"/tests/{made['id']}/start")
        key = SplitTest.objects.get(pk=made["id"]).key
        letter = "AB"[assign(f"{2:032x}", key, [50, 50]) or 0]
        seen = event(f"/{letter.lower()}", variants={key: letter})
        receive([hit(self.site, datetime.now(UTC), beacon(2, seen, event("/thank-you")))])
        row = next(r for r in self.member.ask("GET", "/pages")["rows"] if r["path"] == "/a")
        self.assertEqual(Decimal(row["lifetime_revenue"]), Decimal(row["revenue"]) * Decimal("1.6"))
        self.assertIsNone(row["lifetime_roas"], "nothing was spent")
        result = self.member.ask("GET", f"/tests/{made['id']}")
        arm = next(a for a in result["arms"] if a["letter"] == letter)
        self.assertEqual(
            (arm["value_per_visitor"], Decimal(arm["lifetime_value_per_visitor"])), (59, Decimal("94.4"))
        )
        self.assertEqual(result["changes"], [])
        other = {"page": {"match": "begins", "value": "/thank"}}
        self.member.ask("PUT", f"/conversions/{rule['id']}", {**fields, **worth, "rule": other})
        self.assertEqual(
            [c["version"] for c in self.member.ask("GET", f"/tests/{made['id']}")["changes"]], [2]
        )

    def test_a_wrong_word_of_the_lens_is_named(self) -> None:
        for query, field in (
            ("period=soon", "period"),
            ("model=best", "model"),
            ("conversion=x", "conversion"),
        ):
            self.assertEqual(self.member.ask("GET", f"/pages?{query}", status=422)["field"], field)
