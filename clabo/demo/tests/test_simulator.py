"""The simulator is seeded, and what it sends is what a tag would send."""

from __future__ import annotations

from datetime import date
from unittest import TestCase

from clabo.collect.ingest.beacon import check
from clabo.collect.ingest.directory import TagSite
from clabo.demo import scenario
from clabo.demo.channels import channel_files
from clabo.demo.simulator import Simulator
from clabo.demo.site import Links, page_html


class Simulated(TestCase):
    site = TagSite(1, "key", frozenset([scenario.HOST]), b"{}", "etag")

    def day(self, seed: int) -> tuple[list[bytes], list[bytes]]:
        simulator = Simulator(self.site, {}, seed)
        requests = simulator.day(date(2026, 10, 5), 400)
        for request in requests:
            # Steps over a bridge link and sales are the server's to say.
            if b'"kind":"step"' not in request.body and b'"kind":"sale"' not in request.body:
                check(request.body, self.site)
        return [r.body for r in requests], [f.content for f in channel_files(simulator.paid_clicks(), {})]

    def test_the_same_seed_gives_the_same_day_and_another_does_not(self) -> None:
        self.assertEqual(self.day(1), self.day(1))
        self.assertNotEqual(self.day(1)[0], self.day(2)[0])

    def test_the_pages_carry_the_tag_as_often_as_the_scenario_says(self) -> None:
        for page in scenario.PAGES:
            self.assertEqual(
                page_html(page, Links("https://x.example/tag/k.js")).count("/tag/k.js"), page.tags, page.path
            )
