"""Plans that run, against what can be counted otherwise; and visitors, who leave at the site what a tag would have sent."""

from __future__ import annotations

import json
import sqlite3
import tempfile
import threading
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from random import Random
from typing import Any
from unittest import TestCase

import msgspec
import numpy as np

from clabo.ingest.beacon import Beacon
from clabo.network import clicks, lists, plans
from clabo.network.plans import Clicked, Creative, Plan
from clabo.network.store import Store
from clabo.network.visitors import Web, visit

CREATIVES = [
    Creative(
        "early",
        "Bees like an early start",
        "It ships until the first frost.",
        "Start",
        "https://shop.example/kit",
    ),
    Creative("still", "Your hive is still here", "", "Look", "https://shop.example/kit?colour=oak"),
]


def hashed(number: int) -> bytes:
    return sha256(str(number).encode()).digest()


class Running(TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = Store(Path(folder.name) / "n.sqlite")
        self.addCleanup(self.store.close)
        today = datetime.now(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
        self.first = (today - timedelta(days=40)).date()
        self.start = (today - timedelta(days=40)).timestamp()

    def day(self, number: int) -> date:
        """Day `number` from the start on, the first is 1."""
        return self.first + timedelta(days=number - 1)

    def plan(self, **changes: Any) -> Plan:
        content: dict[str, Any] = {
            "campaign": "bees",
            "shown_to": ["lookers"],
            "left_out": ["buyers"],
            "highest_click": 0.9,
            "daily_budget": 20.0,
            "cap": 3,
            "first": self.day(1),
            "last": None,
            "creatives": CREATIVES,
        }
        return Plan(**{**content, **changes})

    def put(self, db: sqlite3.Connection, name: str, numbers: range) -> None:
        lists.change(db, name, name, [lists.Member("email", hashed(n)) for n in numbers], [], 0, 0)
        db.execute("UPDATE members SET at = ? WHERE list = ?", (self.start - 86400, name))

    def test_who_sees_it_what_it_costs_and_what_is_counted(self) -> None:
        chance = np.random.default_rng(1)
        with self.store.changing() as db:
            self.put(db, "lookers", range(6000))
            self.put(db, "buyers", range(1000))
            plan_id = plans.make(db, self.plan(), self.start)
        led: list[Clicked] = []
        for hour in range(1, 24 * 6 + 1):
            with self.store.changing() as db:
                led += plans.go_on(db, self.start + hour * 3600, chance)
                if hour == 48:
                    # Some go, some come; those who stay have seen what they have seen.
                    before = plans.standing(db, plan_id, self.start + hour * 3600)
                    lists.change(
                        db,
                        "lookers",
                        "",
                        [],
                        [lists.Member("email", hashed(n)) for n in range(3000, 3500)],
                        0,
                        0,
                    )
        known = {hashed(n) for n in range(1000, 6000) if lists.is_known(lists.Member("email", hashed(n)))}
        self.assertTrue(led)
        self.assertLessEqual({c.hash for c in led}, known)
        with self.store.changing() as db:
            stands = plans.standing(db, plan_id, self.start + 6 * 86400)
            rows = clicks.spend(db, self.day(1), self.day(30))
            by_day = Counter[date]()
            for row in rows:
                by_day[row.day] += float(row.cost)  # type: ignore[assignment]
            ids = {r[0] for r in db.execute("SELECT id FROM clicks")}
        assert stands is not None and before is not None
        gone = {hashed(n) for n in range(3000, 3500)}
        self.assertEqual(stands.people, len(known - gone))
        self.assertEqual(sum(stands.often), stands.people)
        self.assertEqual(stands.reached, sum(stands.often[1:]))
        self.assertEqual((stands.clicks, sum(r.clicks for r in rows)), (len(led), len(led)))
        self.assertEqual(stands.shown, sum(r.impressions for r in rows))
        self.assertGreater(stands.shown, stands.clicks * 20)
        self.assertAlmostEqual(float(stands.cost), sum(by_day.values()), 4)
        self.assertLessEqual(max(by_day.values()), 20.0 + 1e-6)
        self.assertEqual({r.ad.ad for r in rows}, {"early", "still"})
        for who in led:
            self.assertIn(who.link.rpartition("practiceclid=")[2], ids)

    def test_it_begins_and_ends_when_it_is_to_and_by_hand(self) -> None:
        chance = np.random.default_rng(2)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            plan_id = plans.make(db, self.plan(first=self.day(2), last=self.day(3)), self.start)
            for hour in range(6 * 24):
                plans.go_on(db, self.start + hour * 3600, chance)
            days = {r.day for r in clicks.spend(db, self.day(-20), self.day(40))}
            self.assertEqual(days, {self.day(2), self.day(3)})
            other = plans.make(db, self.plan(campaign="other"), self.start + 6 * 86400)
            self.assertTrue(plans.end(db, other, self.start + 6 * 86400))
            self.assertFalse(plans.change(db, other, self.plan()))
            plans.go_on(db, self.start + 7 * 86400, chance)
            self.assertNotIn("other", {r.ad.campaign for r in clicks.spend(db, self.day(1), self.day(40))})
            self.assertIsNone(plans.standing(db, "none", self.start))
            self.assertTrue(plans.standing(db, plan_id, self.start))

    def test_what_is_told_of_conversions_is_learnt(self) -> None:
        chance = np.random.default_rng(3)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            plan_id = plans.make(db, self.plan(), self.start)
            led = [c for h in range(1, 49) for c in plans.go_on(db, self.start + h * 3600, chance)]
            wanted = np.zeros((6, 5))
            for number, who in enumerate(led):
                if who.segment == 5:
                    click = who.link.rpartition("practiceclid=")[2]
                    at = db.execute("SELECT at FROM clicks WHERE id = ?", (click,)).fetchone()[0]
                    # One of two is taken back again.
                    report = clicks.Reported(
                        "order", str(number), 1, click, at + 60, None, "", number % 2 == 0
                    )
                    self.assertIsNone(clicks.report(db, report, "EUR"))
                    wanted[5, who.band] += number % 2
            np.testing.assert_array_equal(plans.learned(db, plan_id).conversions, wanted)

    def test_what_was_missed_is_made_up_for_but_no_more_than_a_day(self) -> None:
        chance = np.random.default_rng(4)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            plans.make(db, self.plan(), self.start)
            plans.go_on(db, self.start + 20 * 86400, chance)
            days = {r.day for r in clicks.spend(db, self.day(1), self.day(40))}
        self.assertLessEqual(days, {self.day(20), self.day(21)})


class Visiting(TestCase):
    def test_a_visitor_leaves_what_a_tag_would_have_sent(self) -> None:
        hits: list[dict[str, Any]] = []
        origin = ""

        class Handler(BaseHTTPRequestHandler):
            def do_GET(self) -> None:
                tag = f"<script async src='{origin}/tag/ab12.js'></script>"
                page = {
                    "/kit": f"<title>The kit</title>{tag}<form action='/order'>",
                    "/order": f"{tag}<form action='/order/thank-you'>",
                    "/order/thank-you": tag,
                    "/bare": "<p>No tag</p>",
                }.get(self.path.partition("?")[0])
                self.send_response(200 if page else 404)
                self.end_headers()
                self.wfile.write((page or "").encode())

            def do_POST(self) -> None:
                hits.append(json.loads(self.rfile.read(int(self.headers["content-length"]))))
                self.send_response(204)
                self.end_headers()

            def log_message(self, *said: Any) -> None:
                pass

        server = HTTPServer(("127.0.0.1", 0), Handler)
        origin = f"http://127.0.0.1:{server.server_port}"
        threading.Thread(target=server.serve_forever, daemon=True).start()
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        web, link = Web({"shop.example": origin}), "https://shop.example/kit?practiceclid=c1"
        seen = Counter(visit(web, Clicked(link, hashed(1), 5, 0), Random(n)) for n in range(60))
        self.assertEqual(set(seen), {1, 3})
        self.assertGreater(seen[1], seen[3])
        self.assertEqual(len(hits), seen[1] + 3 * seen[3])
        whole = [h for h in hits if h["urls"] == ["https://shop.example/order/thank-you"]]
        self.assertEqual(len(whole), seen[3])
        self.assertEqual(whole[0]["events"][0]["person"], {"email": hashed(1).hex()})
        first = hits[0]
        self.assertEqual((first["urls"], first["events"][0]["title"]), ([link], "The kit"))
        # What the collector takes.
        for hit in hits:
            msgspec.json.decode(json.dumps(hit).encode(), type=Beacon)
        # Elsewhere nobody goes, and without a tag nobody is seen.
        for other in (
            "https://evil.example/kit",
            "https://shop.example/bare",
            "https://shop.example/nowhere",
        ):
            self.assertEqual(visit(web, Clicked(other, hashed(1), 5, 0), Random(1)), 0, other)
