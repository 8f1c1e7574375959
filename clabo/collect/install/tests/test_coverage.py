"""Which pages have the tag."""

from __future__ import annotations

from datetime import UTC, datetime
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.install import coverage
from clabo.platform.problems import Problem
from clabo.setup.sites.fetching import Fetched
from clabo.testing.traffic import beacon, event, hit, make_site, receive, walk


def fetched(text: str, url: str = "https://shop.example/a", status: int = 200) -> Fetched:
    return Fetched(url, status, text, [], [], False)


class Coverage(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.now = datetime.now(UTC)

    def states(self) -> dict[str, str]:
        return {c.path: c.state for c in coverage.coverage(self.site).pages}

    def test_pages_from_hits_clicks_lists_sitemaps_and_links(self) -> None:
        link = {"what": "link", "to": "shop.example/clicked", "text": "on"}
        receive(walk(self.site, 1, self.now, "/a") + walk(self.site, 1, self.now, "/double", twice=True))
        receive([hit(self.site, self.now, beacon(1, event("/a", kind="click", element=link)))])
        self.assertEqual(
            coverage.list_pages(self.site, "/pasted/\n\nhttps://shop.example/a?utm_source=x\n"), 1
        )
        sitemap = (
            '<urlset xmlns="x"><url><loc>https://shop.example/mapped</loc></url>'
            "<url><loc>https://elsewhere.example/x</loc></url></urlset>"
        )
        with patch.object(coverage, "fetch_from", return_value=fetched(sitemap)):
            self.assertEqual(coverage.list_sitemap(self.site, "https://shop.example/sitemap.xml"), 1)
        self.assertEqual(
            self.states(),
            {
                "/a": "seen",
                "/double": "twice",
                "/clicked": "unopened",
                "/pasted": "unopened",
                "/mapped": "unopened",
            },
        )

    def test_what_is_no_list_names_the_line_and_changes_nothing(self) -> None:
        for text, line in (("/a\nhttps://elsewhere.example/\n", "Line 2"), ("http://a b/", "Line 1")):
            with self.assertRaises(Problem) as caught:
                coverage.list_pages(self.site, text)
            self.assertIn(line, str(caught.exception))
        for text in ("<urlset>", '<!DOCTYPE x [<!ENTITY a "b">]><urlset/>', "<urlset/>"):
            with patch.object(coverage, "fetch_from", return_value=fetched(text)), self.assertRaises(Problem):
                coverage.list_sitemap(self.site, "https://shop.example/sitemap.xml")
        self.assertEqual(self.states(), {})
