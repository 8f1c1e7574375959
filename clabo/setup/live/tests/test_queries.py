"""What Live is told."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.test import TestCase

from clabo.collect.ingest.inbox import store
from clabo.setup.live import queries
from clabo.testing.traffic import beacon, event, hit, make_site, receive, walk


class Told(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.other = make_site()
        self.now = datetime.now(UTC)

    def test_only_the_sites_own_hits_newest_first_from_however_long_ago(self) -> None:
        receive(walk(self.other, 9, self.now - timedelta(minutes=3), "/elsewhere"))
        receive(walk(self.site, 1, self.now - timedelta(days=40), "/long-ago"))
        receive(
            walk(self.site, 2, self.now - timedelta(minutes=20), "/a?utm_source=meadow&utm_medium=cpc", "/b")
        )
        hits = queries.live_hits(self.site)
        self.assertEqual([h.page.path for h in hits], ["/b", "/a", "/long-ago"])
        self.assertEqual(
            (hits[0].visit.channel, hits[0].visit.origin.source, hits[0].visit.number), ("paid", "meadow", 1)
        )
        self.assertEqual([h.page.path for h in queries.live_hits(self.site, most=1)], ["/b"])

    def test_how_far_behind_the_worker_is(self) -> None:
        self.assertEqual(queries.arrivals(self.site).behind_seconds, 0)
        store([hit(self.site, self.now, beacon(1, event("/a")))])
        self.assertGreaterEqual(queries.arrivals(self.site).behind_seconds, 0)
        receive(walk(self.site, 2, self.now - timedelta(seconds=10), "/a"))
        now = queries.arrivals(self.site)
        self.assertEqual((now.last_minute, now.behind_seconds), (2, 0))

    def test_what_came_in_today_and_from_whom(self) -> None:
        for visitor, said in enumerate(
            ({}, {"own": True}, {"rehearsal": "a1b2c3d4"}, {"rehearsal": "e5f6a7b8"})
        ):
            receive([hit(self.site, self.site.last_days(1), beacon(visitor, event("/a"), **said))])
        receive([hit(self.site, self.site.last_days(1), beacon(9, event("/a")), "examplebot/2.1")])
        now = queries.arrivals(self.site)
        counts = (now.accepted_today, now.bots_today, now.own_today, now.rehearsed_today)
        self.assertEqual(counts, (5, 1, 1, 2))
