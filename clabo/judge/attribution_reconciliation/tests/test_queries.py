"""Both counts, against plain loops over what was sent."""

from __future__ import annotations

import random
from collections import Counter
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from itertools import pairwise
from zoneinfo import ZoneInfo

from django.test import TestCase

from clabo.judge.attribution_reconciliation.queries import two_counts
from clabo.judge.attribution_reconciliation.services import set_ad_side
from clabo.platform.accounts.models import Role
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.recount import recount_all
from clabo.testing.traffic import BROWSER, beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.use.spend.models import SpendImport, SpendRow

START = datetime(2026, 10, 1, 0, 30, tzinfo=UTC)
DAYS = 40
SOURCES = ["meadow", "lantern", ""]
BOT = "Mozilla/5.0 (compatible; examplebot/1.0)"
AUCKLAND = ZoneInfo("Pacific/Auckland")
PERIOD = "2026-10-06..2026-10-30"


class TwoCounts(TestCase):
    def setUp(self) -> None:
        self.site = make_site(attribution_window_days=7)
        self.rule = make_rule(self.site, "/order", value=Decimal(20))

    def history(self, seed: int) -> list[tuple[int, datetime, str, list[datetime], bool]]:
        """Visits, each with its visitor, beginning, source, orders and whether a robot makes it."""
        chance = random.Random(seed)
        visits = []
        for visitor in range(1, 26):
            robot = chance.random() < 0.2
            # Hours apart, so that nothing is stitched together.
            for hour in sorted(chance.sample(range(0, DAYS * 24, 3), chance.randint(1, 6))):
                begun = START + timedelta(hours=hour)
                orders = [begun + timedelta(minutes=2 + n) for n in range(chance.choice([0, 0, 0, 1, 1, 2]))]
                visits.append((visitor, begun, chance.choice(SOURCES), orders, robot))
        return visits

    def send(self, visits: list[tuple[int, datetime, str, list[datetime], bool]]) -> None:
        hits = []
        for visitor, begun, source, orders, robot in visits:
            query = f"?utm_source={source}&utm_medium=cpc" if source else ""
            agent = BOT if robot else BROWSER
            hits.append(hit(self.site, begun, beacon(visitor, event(f"/a{query}")), agent))
            hits += [hit(self.site, at, beacon(visitor, event("/order")), agent) for at in orders]
        receive(hits)
        recount_all()

    def spend(self, *rows: tuple[str, str, int, int | None, int | None]) -> None:
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="", stored_as="", state="done"
        )
        for place, (source, day, clicks, said, seen_only) in enumerate(rows):
            SpendRow.objects.create(
                site=self.site,
                batch=batch,
                day=day,
                source=source,
                impressions=0,
                clicks=clicks,
                cost=1,
                conversions=said,
                value=None if said is None else said * 20,
                view_conversions=seen_only,
                fingerprint=str(place),
            )

    def test_every_part_on_random_histories(self) -> None:
        for seed in range(4):
            with self.subTest(seed=seed):
                self.setUp()
                self.one_history(seed)

    def one_history(self, seed: int) -> None:
        visits = self.history(seed)
        self.send(visits)
        self.spend(
            ("Meadow", "2026-10-08", 30, 9, 2),
            ("meadow", "2026-10-08", 5, 1, None),
            ("lantern", "2026-10-09", 7, None, None),
        )
        set_ad_side(self.site, "Meadow", 28, True, "Pacific/Auckland")
        lens = read_lens(self.site, PERIOD, model="last_paid")
        found = {s.counting.source: s for s in two_counts(lens).sides}
        self.assertEqual(set(found), {"meadow", "lantern"})
        first, last = lens.first, lens.last

        def within(at: datetime, zone: ZoneInfo = self.site.zone) -> bool:
            return first <= at.astimezone(zone).date() <= last

        def orders(robots: bool) -> list[tuple[int, datetime, datetime]]:
            return sorted(
                (at, v, begun) for v, begun, _, some, robot in visits if robots or not robot for at in some
            )

        def clicks(visitor: int, at: datetime, days: int, source: str | None = None) -> list[datetime]:
            return [
                begun
                for v, begun, s, _, _ in visits
                if v == visitor
                and at - timedelta(days=days) <= begun <= at
                and (source is None or s == source)
            ]

        source_of = {(v, begun): s for v, begun, s, _, _ in visits}
        credited: Counter[str] = Counter()
        for at, v, _ in orders(robots=False):
            eligible = clicks(v, at, 7)
            paid = [b for b in eligible if source_of[v, b]]
            touch = (paid or eligible)[-1]
            if within(touch):
                credited[source_of[v, touch]] += 1
        meadow = found["meadow"]
        self.assertEqual(meadow.seen.conversions, credited["meadow"])
        self.assertEqual(meadow.seen.value, credited["meadow"] * 20)
        self.assertEqual(found["lantern"].seen.conversions, credited["lantern"])

        def claimed(days: int, once: bool, zone: ZoneInfo, robots: bool) -> int:
            taken, n = set(), 0
            for at, v, _ in orders(robots):
                some = clicks(v, at, days, "meadow")
                if not some or (once and (v, some[-1]) in taken):
                    continue
                taken.add((v, some[-1]))
                n += within(some[-1], zone)
            return n

        own = self.site.zone
        counts = [
            credited["meadow"],
            claimed(7, False, own, False),
            claimed(28, False, own, False),
            claimed(28, True, own, False),
            claimed(28, True, AUCKLAND, False),
            claimed(28, True, AUCKLAND, True),
        ]
        parts = {part: tally.conversions for part, tally in meadow.parts}
        names = ["shared", "window", "counting", "days", "uncounted"]
        self.assertEqual([parts[n] for n in names], [b - a for a, b in pairwise(counts)])
        self.assertEqual(parts["view_through"], 2)
        # 10 after clicks and 2 after mere sight: what Clabo's count, the parts and the rest add up to.
        self.assertEqual(meadow.said.all, 12)
        assert meadow.rest is not None
        self.assertEqual(counts[0] + sum(parts.values()) + meadow.rest, 12)
        self.assertEqual(
            meadow.seen.value
            + sum((t.value for part, t in meadow.parts if part != "view_through"), Decimal(0))
            + (meadow.rest_value or 0),
            200,
        )
        self.assertIsNone(found["lantern"].rest)
        arrived = Counter(robot for _, begun, s, _, robot in visits if s == "meadow" and within(begun))
        self.assertEqual((meadow.arrived.visits, meadow.arrived.robots), (arrived[False], arrived[True]))
        self.assertEqual((meadow.said.clicks, meadow.landing.estimate), (35, arrived[False] / 35))
        self.assertEqual(sum(d.seen.conversions for d in meadow.days), counts[0])
        self.assertEqual(sum(d.claimed.conversions for d in meadow.days), counts[-1])

    def test_what_cannot_be_said(self) -> None:
        for words in (
            ("", 30, ""),
            ("m", 0, ""),
            ("m", 91, ""),
            ("m", 30, "Europe/Nowhere"),
            ("m", 30, "../etc/passwd"),
        ):
            with self.assertRaises(Problem):
                set_ad_side(self.site, words[0], words[1], False, words[2])

    def test_as_a_file(self) -> None:
        self.send(self.history(9))
        self.spend(("meadow", "2026-10-08", 30, 9, 2))
        self.client.force_login(make_user(self.site, Role.VIEWER, "v@shop.example"))
        got = self.client.get(f"/api/sites/{self.site.pk}/two-counts?period={PERIOD}&format=csv")
        text = b"".join(got.streaming_content).decode()  # type: ignore[attr-defined]
        self.assertIn("meadow,2026-10-08,30,", text)
