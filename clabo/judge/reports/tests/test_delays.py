"""What is still to come of recent days, on a history whose delays are known."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from django.test import TestCase

from clabo.judge.reports.delays import delays_of
from clabo.setup.conversions.lens import read_lens
from clabo.testing.asking import Member
from clabo.testing.traffic import make_rule, make_site, receive, walk

# In this zone it is about noon, whenever the test runs; all happens two hours ago or before.
_AHEAD = 12 - datetime.now(UTC).hour
ZONE = f"Etc/GMT{-_AHEAD:+d}"
NOW = datetime.now(UTC) - timedelta(hours=2)
TODAY = NOW.astimezone(ZoneInfo(ZONE)).date()
AD = "/a?utm_source=meadow&utm_medium=cpc"


class StillToCome(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone=ZONE, attribution_window_days=14)
        self.rule = make_rule(self.site, "/thank-you")

    def test_half_come_at_once_and_half_five_days_later(self) -> None:
        hits = []
        for n in range(40):
            began = NOW - timedelta(days=20)
            later = began + timedelta(days=5 if n % 2 else 0, minutes=2)
            hits += walk(self.site, n, began, AD) + walk(self.site, n, later, "/thank-you")
        # Of today's visits only what comes at once has come.
        for n in range(100, 110):
            hits += walk(self.site, n, NOW - timedelta(minutes=20), AD, "/thank-you")
        receive(hits)
        lens = read_lens(self.site, "28d")
        known = delays_of(lens)
        assert known
        self.assertEqual([round(known.delays.part(age), 6) for age in (0, 4, 5, 30)], [0.5, 0.5, 1, 1])
        member = Member(self.site)
        said = member.ask("GET", "/pages?period=28d")["to_come"]
        # By hand: of today's ten half have come; a day like the others of the lens would bring fewer.
        self.assertGreater(said["estimate"], 6)
        self.assertLess(said["estimate"], 10)
        self.assertLess(said["low"], said["estimate"])
        self.assertGreater(said["high"], 10)
        rows = {r["path"]: r for r in member.ask("GET", "/pages?period=28d")["rows"]}
        self.assertEqual(rows["/a"]["to_come"], said)
        self.assertAlmostEqual(rows["/a"]["rate_to_come"]["estimate"], said["estimate"] / 50)
        self.assertEqual([r["to_come"] for path, r in rows.items() if path != "/a"], [None])
        by_source = member.ask("GET", "/sources?period=28d&by=source")
        self.assertEqual([r["to_come"] for r in by_source["rows"] if r["value"] == "meadow"], [said])
        self.assertEqual(by_source["total"]["to_come"], said)
        points = member.ask("GET", "/pages/series?period=28d")["points"]
        self.assertEqual([p["to_come"] is not None for p in points], [False] * 27 + [True])
        # Of today alone, as many again.
        self.assertAlmostEqual(points[-1]["to_come"]["estimate"], 10, delta=0.3)
        self.assertIsNone(member.ask("GET", f"/pages?period={TODAY}..{TODAY}&origin=source:x")["to_come"])

    def test_nothing_is_said_before_a_window_has_been_seen(self) -> None:
        receive(
            [h for n in range(40) for h in walk(self.site, n, NOW - timedelta(days=n % 9), AD, "/thank-you")]
        )
        self.assertIsNone(delays_of(read_lens(self.site, "28d")))

    def test_with_few_conversions_nothing_is_said(self) -> None:
        receive(walk(self.site, 1, NOW, AD, "/thank-you"))
        self.assertIsNone(Member(self.site).ask("GET", "/pages?period=7d")["to_come"])
