"""Today: what has to be mended or decided, said once, and only with evidence."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from uuid import uuid4

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.collect.ingest.models import Attendance, InboxBatch
from clabo.core.splits.assignment import assign
from clabo.judge.reports.models import StandingFinding
from clabo.judge.reports.pages.own_goals import own_findings, set_goal
from clabo.judge.reports.today.queries import Today, today
from clabo.judge.reports.today.yesterday import yesterday
from clabo.judge.splits.models import SplitTest
from clabo.setup.conversions.lens import read_lens
from clabo.setup.monitoring.tags import watch_site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.delivery.models import AdChannel, Report


class Said(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.now = datetime.now(UTC).replace(minute=30)
        self.member = Member(self.site)

    def hourly(self, visitors: int, until: datetime, *paths: str) -> None:
        """A visit every hour of the two weeks up to then."""
        hits = []
        for hour in range(24 * 14):
            hits += walk(self.site, visitors + hour, until - timedelta(hours=hour), *paths, step=5)
        receive(hits)

    def found(self, later: timedelta = timedelta()) -> Today:
        watch_site(self.site, self.now + later)
        return today(self.site, self.now + later)

    def test_a_new_site_has_only_steps_to_take(self) -> None:
        told = self.member.ask("GET", "/today")
        self.assertEqual((told["first_at"], told["rules"], told["has_spend"]), (None, 0, False))
        for nothing in ("stopped", "twice", "quiet", "broken", "decided", "overdue", "findings", "changed"):
            self.assertEqual(told[nothing], [], nothing)
        self.assertIsNone(told["yesterday"])

    def test_a_page_that_lost_its_tag_and_a_conversion_that_stopped(self) -> None:
        make_rule(self.site, "/thanks", name="booking")
        self.hourly(1000, self.now, "/alive")
        lost = self.now - timedelta(hours=40)
        self.hourly(5000, lost, "/lost")
        self.assertEqual(
            ([c.path for c in self.found().mend.stopped], self.found().mend.quiet), (["/lost"], [])
        )
        # The form breaks; its page is opened all the same.
        self.hourly(9000, lost, "/form", "/thanks")
        self.hourly(9500, self.now, "/form")
        told = self.found().mend
        self.assertEqual([q.rule.name for q in told.quiet], ["booking"])
        self.assertLess(abs(told.quiet[0].last_at - lost), timedelta(minutes=1))
        self.assertAlmostEqual(told.quiet[0].per_day, 24, delta=1)
        self.assertEqual({c.path for c in told.stopped}, {"/lost", "/thanks"})
        answer = self.member.ask("GET", "/today")
        self.assertEqual((answer["stopped_total"], answer["quiet"][0]["name"]), (2, "booking"))
        self.assertEqual((answer["to_mend"], self.member.ask("GET", "/rail")["to_mend"]), (3, 3))

    def test_a_finding_is_said_until_it_no_longer_holds(self) -> None:
        rule = make_rule(self.site, "/thanks", name="order", category="purchase")
        at = self.now - timedelta(days=2)

        def entered(first: int, visitors: int, *paths: str) -> None:
            receive([h for n in range(visitors) for h in walk(self.site, first + n, at, *paths, step=5)])

        def said() -> list[tuple[str, str]]:
            return [(f["path"], f["since"]) for f in self.member.ask("GET", "/today")["findings"]]

        entered(1000, 40, "/good", "/thanks")
        entered(2000, 80, "/good")
        entered(3000, 40, "/poor")
        for page in Page.objects.filter(site=self.site, path__in=("/good", "/poor")):
            set_goal(self.site, page.pk, rule.pk)
        ((path, since),) = said()
        self.assertEqual(path, "/poor")
        # What has come since would not be enough to say it, and is not enough to take it back; on Pages as on Today.
        entered(4000, 6, "/poor", "/thanks")
        self.assertEqual(own_findings(read_lens(self.site)).shown, [])
        self.assertEqual(said(), [(path, since)])
        self.assertEqual(
            [f["kind"] for f in self.member.ask("GET", "/pages")["findings"]], ["converts_badly"]
        )
        self.assertEqual(self.member.ask("GET", "/pages?period=14d")["findings"], [])
        entered(5000, 12, "/poor", "/thanks")
        self.assertEqual((said(), StandingFinding.objects.count()), ([], 0))

    def test_a_channel_that_does_not_answer_or_refuses(self) -> None:
        rule = make_rule(self.site, "/thanks")
        fields = {
            "site": self.site,
            "kind": "http",
            "click_parameter": "xclid",
            "base_url": "https://x.example",
        }
        away, choosy, fine = (
            AdChannel.objects.create(name=name, source=name, **fields) for name in ("away", "choosy", "fine")
        )
        AdChannel.objects.filter(pk=away.pk).update(
            failing_since=self.now - timedelta(hours=2), failure="It could not be reached."
        )
        for channel, refused in ((choosy, 6), (fine, 4)):
            for number in range(25):
                state = "refused" if number < refused else "taken"
                Report.objects.create(
                    channel=channel,
                    rule=rule,
                    event_id=uuid4(),
                    event=str(number),
                    click="c",
                    time=self.now,
                    currency="",
                    state=state,
                    reason="too_old" * (state == "refused"),
                    owed_at=self.now,
                )
        told = self.member.ask("GET", "/today")
        self.assertEqual([c["name"] for c in told["channels"]], ["away", "choosy"])
        self.assertEqual(
            (told["channels"][1]["refused"], told["channels"][1]["sent"], told["channels"][1]["reason"]),
            (6, 25, "it is too long ago for the channel"),
        )
        self.assertEqual(told["to_mend"], 2)

    def test_a_silent_site_is_said_once(self) -> None:
        make_rule(self.site, "/thanks")
        self.hourly(1000, self.now, "/form", "/thanks")
        told = self.found(timedelta(hours=30)).mend
        self.assertIsNotNone(told.silent_since)
        self.assertEqual((told.stopped, told.quiet), ([], []))
        # Unless nobody was there to hear it.
        for start, end in ((-400, 0), (29, 30)):
            Attendance.objects.create(
                from_at=self.now + timedelta(hours=start), until_at=self.now + timedelta(hours=end)
            )
        self.assertIsNone(self.found(timedelta(hours=30)).mend.silent_since)

    def test_hits_that_wait_too_long(self) -> None:
        receive(walk(self.site, 1, self.now, "/a"), process=False)
        self.assertIsNone(today(self.site).mend.late_since)
        InboxBatch.objects.update(received_at=self.now - timedelta(minutes=70))
        self.assertIsNotNone(self.member.ask("GET", "/today")["late_since"])

    def test_a_split_that_loses_visitors_must_not_be_decided(self) -> None:
        rule = make_rule(self.site, "/thanks")
        receive(walk(self.site, 1, self.now, "/a", "/b"))
        plan = {"baseline": 0.1, "smallest_lift": 0.5, "shares": [50, 50], "addresses": ["/a", "/b"]}
        made = self.member.ask("POST", "/tests", {"name": "Button", "conversion": rule.pk, **plan})
        self.member.ask("POST", f"/tests/{made['id']}/start")
        key = SplitTest.objects.get().key
        now = datetime.now(UTC)
        hits = []
        for visitor in range(2, 600):
            letter = "AB"[assign(f"{visitor:032x}", key, [50, 50]) or 0]
            # Half of B's visitors never arrive.
            if letter == "A" or visitor % 2:
                seen = event(f"/{letter.lower()}", variants={key: letter})
                hits.append(hit(self.site, now, beacon(visitor, seen)))
        receive(hits)
        told = self.member.ask("GET", "/today")
        self.assertEqual([t["name"] for t in told["broken"]], ["Button"])
        self.assertEqual((told["decided"], told["overdue"]), ([], []))


class Usual(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="Pacific/Auckland")
        self.now = datetime(2026, 11, 26, 3, 0, tzinfo=UTC)  # 16:00 of the 26th there
        self.rule = make_rule(self.site, "/thanks")

    def visits(self, weeks_ago: int, count: int, thanks: int = 0) -> None:
        # 23:30 on the 25th there.
        at = datetime(2026, 11, 25, 10, 30, tzinfo=UTC) - timedelta(weeks=weeks_ago)
        hits: list[Any] = []
        for n in range(count):
            paths = ["/a", "/thanks"] if n < thanks else ["/a"]
            hits += walk(self.site, weeks_ago * 1000 + n, at, *paths, step=10)
        receive(hits)

    def test_such_weekdays_by_the_sites_own_clock(self) -> None:
        self.assertIsNone(yesterday(self.site, self.now))
        for weeks_ago, count in enumerate((48, 21, 18, 23, 20, 19)):
            self.visits(weeks_ago, count, thanks=2)
        # On other days there is ten times as much: it must not be mixed in.
        receive(
            [h for n in range(200) for h in walk(self.site, 90_000 + n, self.now - timedelta(days=4), "/a")]
        )
        told = yesterday(self.site, self.now)
        assert told
        # The week of the very first hit is left out.
        self.assertEqual((told.day.isoformat(), told.days, told.away), ("2026-11-25", 4, False))
        visits, orders = told.counts
        self.assertEqual((visits.rule, visits.count, visits.usual.estimate), (None, 48, 20.5))
        self.assertTrue(visits.usual.low < 18 and 23 < visits.usual.high < 48, visits.usual)
        self.assertEqual((orders.rule, orders.count, orders.usual.estimate), (self.rule, 2, 2))

    def test_days_on_which_clabo_was_away_are_no_measure(self) -> None:
        for weeks_ago in range(7):
            self.visits(weeks_ago, 5)
        there = Attendance.objects.create(
            from_at=self.now - timedelta(weeks=8), until_at=self.now - timedelta(days=15, hours=7)
        )
        back = Attendance.objects.create(from_at=self.now - timedelta(days=14), until_at=self.now)
        told = yesterday(self.site, self.now)
        assert told
        self.assertEqual((told.days, told.away), (4, False))
        back.delete()
        there.until_at = self.now - timedelta(hours=20)
        there.save()
        told = yesterday(self.site, self.now)
        assert told
        self.assertTrue(told.away)
        self.assertFalse(told.counts[0].usual.known)
