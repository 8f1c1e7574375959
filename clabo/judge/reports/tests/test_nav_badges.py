"""The rail's facts are the sections' own, cheap, and the dear ones not older than said."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.core.cache import cache
from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.judge.reports.today import nav_badges
from clabo.testing.asking import Member
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import make_rule, make_site, receive, walk


class Rail(TestCase):
    def setUp(self) -> None:
        cache.clear()
        self.addCleanup(cache.clear)
        self.site = make_site()
        self.member = Member(self.site)

    def told(self) -> dict[str, object]:
        found: dict[str, object] = self.member.ask("GET", "/rail")
        return found

    def test_counts_are_the_sections_own(self) -> None:
        self.assertEqual(
            (self.told()["pages"], self.told()["last_hit_at"], self.told()["conversions"]), (0, None, 0)
        )
        receive(walk(self.site, 1, datetime.now(UTC), "/a", "/thank-you"))
        receive(walk(make_site(), 1, datetime.now(UTC), "/elsewhere"))
        make_rule(self.site, "/thank-you")
        Page.objects.filter(site=self.site, path="/a").update(stopped_at=datetime.now(UTC))
        pixel, told = self.member.ask("GET", "/pixel"), self.told()
        self.assertEqual(
            (told["pages"], told["stopped_pages"], told["last_hit_at"]),
            (pixel["pages_total"], pixel["stopped"], pixel["last_at"]),
        )
        self.assertEqual(told["conversions"], len(self.member.ask("GET", "/conversions")))

    def test_what_there_is_to_mend_is_looked_up_by_the_worker_and_by_today(self) -> None:
        self.assertEqual(self.told()["to_mend"], 0)
        receive(walk(self.site, 1, datetime.now(UTC), "/a"))
        Page.objects.update(twice_at=datetime.now(UTC))
        self.assertEqual(self.told()["to_mend"], 0, "it was found out just now")
        with (
            patch.object(nav_badges, "FRESH", timedelta(0)),
            patch.object(nav_badges, "to_mend", side_effect=AssertionError),
        ):
            self.assertEqual(self.told()["to_mend"], 0, "the old number, at once")
        run_jobs()
        self.assertEqual(self.told()["to_mend"], 1)
        Page.objects.update(twice_at=None)
        today = self.member.ask("GET", "/today")
        self.assertEqual((today["to_mend"], self.told()["to_mend"]), (0, 0))

    def test_few_queries(self) -> None:
        self.told()
        with self.assertNumQueries(11):
            self.told()
