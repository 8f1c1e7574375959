"""What Pixel and Live are told."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.test import TestCase

from clabo.ingest.beacon import Refused
from clabo.ingest.inbox import store
from clabo.ingest.models import Refusal, RefusedHost
from clabo.ingest.refusals import MOST_HOSTS, Tally
from clabo.install import queries
from clabo.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_site, receive, walk


class RefusedHosts(TestCase):
    """Tried as a new user would: the site is shop.example, the pages are opened somewhere else."""

    def test_told_with_one_click_to_add_them(self) -> None:
        site = make_site()
        member, tally = Member(site), Tally()
        for url, times in (("http://localhost:3000/", 3), ("https://www.shop.example/a", 5)):
            for _ in range(times):
                with self.assertRaises(Refused) as caught:
                    hit(site, datetime.now(UTC), beacon(1, event(url)))
                tally.add(caught.exception)
        tally.save()
        told = [("www.shop.example", 5), ("localhost:3000", 3)]
        for path in ("/pixel", "/today"):
            rows = member.ask("GET", path)["refused_hosts"]
            self.assertEqual([(r["host"], r["count"]) for r in rows], told)
        self.assertEqual(member.ask("GET", "/today/count")["to_mend"], 1)
        member.ask("POST", "/hosts", {"host": "www.shop.example"})
        self.assertEqual(
            [r["host"] for r in member.ask("GET", "/pixel")["refused_hosts"]], ["localhost:3000"]
        )
        site.refresh_from_db()
        receive(walk(Site.objects.get(pk=site.pk), 1, datetime.now(UTC), "https://www.shop.example/a"))

    def test_hosts_without_end_are_not_all_kept(self) -> None:
        site, tally = make_site(), Tally()
        for number in range(MOST_HOSTS + 20):
            tally.add(Refused(403, "foreign_host", "t", "d", site.pk, f"h{number}.example"))
        tally.save()
        self.assertEqual(RefusedHost.objects.count(), MOST_HOSTS)


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

    def test_pages_and_refusals_of_the_week(self) -> None:
        receive(walk(self.site, 1, self.now, "/a", "/guide/100%25-honey"))
        receive(walk(self.other, 1, self.now, "/x"))
        tally = Tally()
        for site in (self.site, self.site, self.other):
            tally.add(Refused(403, "foreign_host", "t", "staging.example is not among them", site.pk))
        tally.save()
        tally.save()
        Refusal.objects.create(
            site=self.site,
            day=self.now.date() - timedelta(days=9),
            reason="too_old",
            count=5,
            sample="",
            last_at=self.now,
        )
        state = queries.tag_state(self.site)
        self.assertEqual(
            (state.pages_total, [(r.reason, r.count) for r in state.refusals]), (2, [("foreign_host", 2)])
        )
        self.assertIn(self.site.key, state.lines.head)
        self.assertEqual(
            [p.path for p in queries.tag_state(self.site, "100%").pages], ["/guide/100%25-honey"]
        )
