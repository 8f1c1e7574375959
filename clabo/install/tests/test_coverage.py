"""Which pages have the tag, the kit that leads there, and the check of one page."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.core import mail
from django.test import TestCase, override_settings

from clabo.accounts.models import Role
from clabo.accounts.problems import Problem
from clabo.events.models import Page
from clabo.ingest.attendance import Attending
from clabo.ingest.models import Attendance, InboxBatch
from clabo.install import coverage, kit
from clabo.install.checking import check_page
from clabo.install.models import KitLink
from clabo.monitoring.tags import watch_site
from clabo.monitoring.uptime import absences
from clabo.sites.fetching import Fetched
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_site, make_user, receive, walk


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

    def test_a_tag_that_has_stopped_is_told_from_one_that_is_quiet(self) -> None:
        hits = []
        for hour in range(24 * 14):
            at = self.now - timedelta(hours=3, days=14) + timedelta(hours=hour)
            hits += walk(self.site, 1000 + hour, at, "/busy", "/busy", "/busy", step=5)
            if hour % 24 == 0:
                hits += walk(self.site, 5000 + hour, at, "/quiet", "/quiet", "/quiet", step=5)
        receive(hits)
        stopped = watch_site(self.site, self.now + timedelta(hours=5))
        self.assertEqual([p.path for p in stopped], ["/busy"])
        busy = Page.objects.get(path="/busy")
        self.assertAlmostEqual(busy.per_day or 0, 72, delta=3)
        self.assertEqual(self.states()["/busy"], "stopped")
        member = Member(self.site)
        pixel = member.ask("GET", "/pixel")
        self.assertEqual(pixel["stopped"], 1)
        self.assertEqual(datetime.fromisoformat(pixel["silent_since"]), busy.last_at)
        receive(walk(self.site, 9000, self.now + timedelta(hours=4), "/quiet"))
        self.assertIsNone(member.ask("GET", "/pixel")["silent_since"], "another page still sends")
        last = self.now - timedelta(hours=4)
        self.was_there(last - timedelta(days=30), last)
        self.assertEqual(watch_site(self.site, self.now + timedelta(hours=5)), [], "Clabo was away")
        self.was_there(self.now, self.now + timedelta(hours=5))
        self.assertEqual(len(watch_site(self.site, self.now + timedelta(hours=5))), 1)
        waiting = InboxBatch.objects.create(site_id=self.site.pk, payload=b"", requests=1, received_at=last)
        self.assertEqual(watch_site(self.site, self.now + timedelta(hours=5)), [], "it waits unread")
        waiting.delete()

    def was_there(self, start: datetime, end: datetime) -> None:
        Attendance.objects.create(from_at=start, until_at=end)

    def test_a_server_notes_that_it_is_there(self) -> None:
        attending = Attending()
        attending.note()
        attending.note()
        [noted] = Attendance.objects.all()
        with patch("clabo.ingest.attendance.NOTED_EVERY", 0):
            attending.note()
        [again] = Attendance.objects.all()
        self.assertEqual(again.from_at, noted.from_at)
        self.assertGreater(again.until_at, noted.until_at)

    def test_absences_are_what_no_server_covers(self) -> None:
        def at(hour: int) -> datetime:
            return self.now + timedelta(hours=hour)

        self.assertEqual(absences(at(-9), at(0)), [], "before the first note nothing is known")
        for start, end in ((-8, -6), (-7, -5), (-4, -3), (-9, -8)):
            self.was_there(at(start), at(end))
        self.assertEqual(absences(at(-9), at(-2)), [(at(-5), at(-4)), (at(-3), at(-2))])
        self.assertEqual(absences(at(-4), at(-3)), [])
        self.assertEqual(absences(at(-2), at(0)), [(at(-2), at(0))])
        receive(walk(self.site, 9, self.now + timedelta(hours=5), "/busy"))
        self.assertEqual(watch_site(self.site, self.now + timedelta(hours=5)), [])
        self.assertEqual(self.states()["/busy"], "seen")

    def test_a_checked_page_is_kept_with_its_links(self) -> None:
        html = "<head></head><a href=/new>n</a><a href=/pic.png>p</a><a href=//elsewhere.example/>e</a>"
        with patch("clabo.install.checking.fetch_from", return_value=fetched(html)):
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
            with patch("clabo.install.checking.fetch_from", return_value=fetched("<head></head>")):
                told = member.ask("POST", "/check-page", {"url": "/a"})
            self.assertEqual((told["findings"][0]["verdict"], told["stopped"]), ("missing", stopped))
            self.assertIsNotNone(told["last_hit_at"])


@override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
class Kit(TestCase):
    def setUp(self) -> None:
        self.site = make_site(name="Shop\r\nBcc: all@shop.example")
        self.user = make_user(self.site, Role.EDITOR, "ed@shop.example")

    def test_a_developer_gets_a_mail_and_a_page_that_ends(self) -> None:
        link = kit.share_kit(self.site, self.user, "dev@shop.example", "Please by Friday")
        [sent] = mail.outbox
        self.assertEqual((sent.to, "\n" in sent.subject), (["dev@shop.example"], False))
        self.assertIn(f"/kit/{link.token}", sent.body)
        open_to_all = self.client.get(f"/api/kit/{link.token}")
        told = open_to_all.json()
        self.assertEqual((told["first_at"], told["note"]), (None, "Please by Friday"))
        self.assertIn(self.site.key, told["pieces"][0]["lines"][0])
        receive(walk(self.site, 1, datetime.now(UTC), "/a"))
        self.assertTrue(self.client.get(f"/api/kit/{link.token}").json()["first_at"])
        KitLink.objects.update(expires_at=datetime.now(UTC))
        self.assertEqual(self.client.get(f"/api/kit/{link.token}").status_code, 404)
        self.assertEqual(self.client.get("/api/kit/guessed").status_code, 404)

    def test_no_address_no_mail(self) -> None:
        kit.share_kit(self.site, self.user)
        with self.assertRaises(Problem) as caught:
            kit.share_kit(self.site, self.user, "dev@@shop")
        self.assertEqual((caught.exception.field, mail.outbox), ("email", []))
