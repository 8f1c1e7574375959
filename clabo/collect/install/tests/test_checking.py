"""The check of one page."""

from __future__ import annotations

from datetime import UTC, datetime
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.collect.install import coverage
from clabo.collect.install.checking import check_page
from clabo.platform.problems import Problem
from clabo.setup.sites.fetching import Fetched
from clabo.testing.asking import Member
from clabo.testing.traffic import make_site, receive, walk


def fetched(text: str, url: str = "https://shop.example/a", status: int = 200) -> Fetched:
    return Fetched(url, status, text, [], [], False)


class Checking(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.now = datetime.now(UTC)

    def states(self) -> dict[str, str]:
        return {c.path: c.state for c in coverage.coverage(self.site).pages}

    def test_a_checked_page_is_kept_with_its_links(self) -> None:
        html = "<head></head><a href=/new>n</a><a href=/pic.png>p</a><a href=//elsewhere.example/>e</a>"
        with patch("clabo.collect.install.checking.fetch_from", return_value=fetched(html)):
            found = check_page(self.site, "/a")
        self.assertEqual(([f.verdict for f in found.findings], found.new_links), (["missing"], 1))
        self.assertEqual(self.states(), {"/new": "unopened"})
        with self.assertRaises(Problem):
            check_page(self.site, "https://elsewhere.example/")

    def test_a_page_without_the_tag_from_which_hits_came_lately_or_no_more(self) -> None:
        receive(walk(self.site, 1, self.now, "/a"))
        member = Member(self.site)
        for stopped in (False, True):
            Page.objects.update(stopped_at=self.now if stopped else None)
            with patch("clabo.collect.install.checking.fetch_from", return_value=fetched("<head></head>")):
                told = member.ask("POST", "/check-page", {"url": "/a"})
            self.assertEqual((told["findings"][0]["verdict"], told["stopped"]), ("missing", stopped))
            self.assertIsNotNone(told["last_hit_at"])
