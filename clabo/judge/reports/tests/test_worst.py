"""Worst pages: each by its own goal, against a recount of the visits that were made."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.core.evidence import Counts, lost_conversions
from clabo.judge.reports.pages.own_goals import set_goal
from clabo.judge.reports.pages.worst import worst_pages
from clabo.setup.conversions.lens import read_lens
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk

NOON = datetime.now(UTC).replace(hour=10, minute=0, second=0, microsecond=0) - timedelta(days=2)


class WorstFirst(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        self.lead = make_rule(self.site, "/guide/thank-you", name="guide", category="lead")
        self.order = make_rule(self.site, "/thank-you", name="order", value=Decimal(50))
        hits = []
        # Of 60 visits to each so many reach the thank-you page of what the page is there for.
        self.made = {"/kit": 30, "/kit-b": 6, "/guide": 24, "/guide-b": 9}
        for page, converted in self.made.items():
            thanks = "/guide/thank-you" if "guide" in page else "/thank-you"
            for n in range(60):
                visitor = 1000 * (1 + list(self.made).index(page)) + n
                hits += walk(self.site, visitor, NOON, page, *([thanks] if n < converted else []), step=5)
        for n in range(3):
            hits += walk(self.site, 9000 + n, NOON, "/journal")
        receive(hits)
        self.ids = {p.path: p.pk for p in Page.objects.all()}

    def test_each_page_stands_beside_those_of_its_own_goal(self) -> None:
        found = worst_pages(read_lens(self.site, "7d", conversion=self.order.pk))
        rows = {w.row.page.path: w for w in found.rows if w.row.page}
        self.assertEqual(
            {p: w.rule.name for p, w in rows.items()},
            {"/kit": "order", "/kit-b": "order", "/guide": "guide", "/guide-b": "guide"},
        )
        for pair in (("/kit", "/kit-b"), ("/guide", "/guide-b")):
            expected = lost_conversions([Counts(self.made[p], 60) for p in pair])
            for page, lost in zip(pair, expected, strict=True):
                self.assertEqual((rows[page].row.converted, rows[page].row.entries), (self.made[page], 60))
                self.assertAlmostEqual(max(0.0, rows[page].loss.lost.estimate), lost, places=6)
        self.assertEqual(next(w.row.page.path for w in found.rows if w.row.page), "/kit-b")
        self.assertEqual(rows["/guide-b"].worth, None)
        self.assertAlmostEqual(
            float(rows["/kit-b"].worth or 0), 50 * rows["/kit-b"].loss.lost.estimate, places=4
        )
        self.assertEqual([r.page.path for r in found.without_goal if r.page], ["/journal"])

    def test_pages_that_are_meant_to_be_left_are_in_no_list(self) -> None:
        receive([h for n in range(8) for h in walk(self.site, 7000 + n, NOON, "/thank-you")])
        said = Member(self.site).ask("GET", "/pages/worst?period=7d")
        paths = [r["path"] for r in said["rows"]]
        self.assertNotIn("/thank-you", paths)
        self.assertEqual(paths[-1], "/journal")
        last = said["rows"][-1]
        self.assertEqual((last["goal"], last["lost"], last["needed"]), (None, None, None))

    def test_a_page_of_few_visits_comes_last_with_what_it_lacks(self) -> None:
        receive([h for n in range(3) for h in walk(self.site, 8000 + n, NOON, "/kit-c")])
        page = Page.objects.get(path="/kit-c")
        set_goal(self.site, page.pk, self.order.pk)
        said = Member(self.site).ask("GET", "/pages/worst?period=7d")["rows"]
        thin = next(r for r in said if r["path"] == "/kit-c")
        self.assertEqual(
            (said.index(thin), thin["by_hand"], thin["thin"], thin["certain"]), (4, True, True, False)
        )
        self.assertGreater(thin["needed"], 3)

    def test_a_form_that_nobody_has_sent_since(self) -> None:
        sent = [
            hit(
                self.site,
                NOON - timedelta(days=3),
                beacon(5000 + n, event("/guide-b"), event("/guide-b", kind="form", element={"id": "f"})),
            )
            for n in range(40)
        ]
        receive(sent)
        rows = {r["path"]: r for r in Member(self.site).ask("GET", "/pages/worst?period=28d")["rows"]}
        self.assertEqual([r["kind"] for r in rows["/guide-b"]["reasons"]], ["form_silent"])
        self.assertEqual(rows["/guide"]["reasons"], [])
