"""What Pixel is told."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.test import TestCase

from clabo.collect.ingest.beacon import Refused
from clabo.collect.ingest.models import Refusal, RefusedHost
from clabo.collect.ingest.refusals import MOST_HOSTS, Tally
from clabo.collect.install import queries
from clabo.setup.sites.models import Site
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
        self.assertEqual(member.ask("GET", "/rail")["to_mend"], 1)
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
