"""Plans that run, against what can be counted otherwise."""

from __future__ import annotations

import sqlite3
import tempfile
from collections import Counter
from datetime import UTC, date, datetime, timedelta
from hashlib import sha256
from pathlib import Path
from typing import Any
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from practice_network import clicks, history, lists, plans, running
from practice_network.plans import Creative, Line, Plan
from practice_network.running import Clicked
from practice_network.simulation.auction import BANDS
from practice_network.simulation.population import Seek, identity_of, place_of, population
from practice_network.store import Store

PLAN = "plan-1"
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
            "lines": [Line("all", ["lookers"])],
            "left_out": ["buyers"],
            "highest_click": 0.9,
            "daily_budget": 20.0,
            "cap": 3,
            "first": self.day(1),
            "last": None,
            "creatives": CREATIVES,
        }
        return Plan(**{**content, **changes})

    def put_plan(self, db: sqlite3.Connection, **changes: Any) -> None:
        self.assertTrue(plans.put(db, PLAN, self.plan(**changes), self.start))

    def put(self, db: sqlite3.Connection, name: str, numbers: range) -> None:
        lists.change(db, name, name, [lists.Member("email", hashed(n)) for n in numbers], [], 0, 0)
        db.execute("UPDATE members SET at = ? WHERE list = ?", (self.start - 86400, name))

    def watch(self) -> list[tuple[Any, ...]]:
        """What happens from now on, as the auctions tell it: whom it is told of, and what."""
        watched: list[tuple[Any, ...]] = []
        written = running._written_down

        def listen(*of: Any) -> Any:
            watched.append(of)
            return written(*of)

        patched = patch.object(running, "_written_down", listen)
        patched.start()
        self.addCleanup(patched.stop)
        return watched

    def shown_to(self, watched: list[tuple[Any, ...]]) -> list[tuple[str, str, bytes]]:
        """Line, creative, person: once for each time shown."""
        found = []
        for _, _, plan, hashes, people, happened, *_ in watched:
            for person, creative in zip(happened.viewer, happened.viewer_creative, strict=True):
                line = plan.lines[people.line[person]].id
                found.append((line, plan.creatives[creative].id, hashes[person]))
        return found

    def assert_reached(
        self, stands: running.Standing, seen: list[tuple[str, str, bytes]], known: set[bytes]
    ) -> None:
        """Reach is as a plain loop counts it."""
        for of in stands.reach:
            those = [p for line, c, p in seen if of.line in ("", line) and of.creative in ("", c)]
            self.assertEqual((of.people, of.times), (len(set(those)), len(those)), of)
        parts = {(line, c) for line, c, _ in seen} | {("", "")}
        parts |= {(line, "") for line, _ in parts} | {("", c) for _, c in parts}
        self.assertEqual({(of.line, of.creative) for of in stands.reach}, parts)
        times = Counter(p for _, _, p in seen)
        often = [sum(min(n, 10) == k for n in times.values()) for k in range(11)]
        often[0] = len(known - set(times))
        self.assertEqual(stands.often, often)

    def test_who_sees_it_what_it_costs_and_what_is_counted(self) -> None:
        chance = np.random.default_rng(1)
        with self.store.changing() as db:
            self.put(db, "lookers", range(6000))
            self.put(db, "buyers", range(1000))
            self.put_plan(db)
        led: list[Clicked] = []
        watched = self.watch()
        for hour in range(1, 24 * 6 + 1):
            with self.store.changing() as db:
                led += running.go_on(db, self.start + hour * 3600, chance)
                if hour == 48:
                    # Some go, some come; those who stay have seen what they have seen.
                    before = running.standing(db, PLAN, self.start + hour * 3600)
                    lists.change(
                        db,
                        "lookers",
                        "",
                        [],
                        [lists.Member("email", hashed(n)) for n in range(3000, 3500)],
                        0,
                        0,
                    )
        seen = self.shown_to(watched)
        known = {hashed(n) for n in range(1000, 6000) if lists.is_known(lists.Member("email", hashed(n)))}
        self.assertTrue(led)
        self.assertLessEqual({c.hash for c in led}, known)
        with self.store.changing() as db:
            stands = running.standing(db, PLAN, self.start + 6 * 86400)
            rows = clicks.spend(db, self.day(1), self.day(30))
            by_day = Counter[date]()
            for row in rows:
                by_day[row.day] += float(row.cost)  # type: ignore[assignment]
            ids = {r[0] for r in db.execute("SELECT id FROM clicks")}
        assert stands is not None and before is not None
        gone = {hashed(n) for n in range(3000, 3500)}
        self.assertEqual(stands.people, {"all": len(known - gone)})
        self.assert_reached(stands, seen, known - gone)
        # Whoever was reached and has left has been reached, and is named nowhere.
        left = {person for _, _, person in seen} & gone
        self.assertTrue(left)
        with self.store.changing() as db:
            tables = [t for (t,) in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")]
            kept = {value for t in tables for row in db.execute(f"SELECT * FROM {t}") for value in row}
        self.assertFalse(left & kept)
        self.assertTrue((known - gone) & kept)
        came = [c for c in led if "practiceclid=" in c.link]
        # Some saw it and came by themselves.
        self.assertTrue(0 < len(led) - len(came) < len(came))
        self.assertEqual(sum(r.clicks for r in rows), len(came))
        self.assertEqual(
            sum(r.view_conversions for r in rows),
            sum(c.through for c in led if "practiceclid=" not in c.link),
        )
        cells = {(c.day, c.creative): (c.shown, c.clicks, c.cost) for c in stands.cells}
        by_ad = {(r.day, r.ad.ad): (r.impressions, r.clicks, r.cost) for r in rows}
        self.assertEqual(cells, by_ad)
        shown = sum(r.impressions for r in rows)
        self.assertGreater(shown, len(came) * 20)
        for of in stands.chances:
            self.assertGreaterEqual(of.chances, of.held + of.capped + of.outbid)
        at_most = sum(c.chances - c.held - c.capped - c.outbid for c in stands.chances)
        self.assertTrue(shown <= at_most < shown * 1.1, (shown, at_most))
        self.assertLessEqual(max(by_day.values()), 20.0 + 1e-6)
        self.assertEqual({r.ad.ad for r in rows}, {"early", "still"})
        for who in came:
            self.assertIn(who.link.rpartition("practiceclid=")[2], ids)

    def test_it_begins_and_ends_when_it_is_to_and_by_hand(self) -> None:
        chance = np.random.default_rng(2)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            self.put_plan(db, first=self.day(2), last=self.day(3))
            for hour in range(6 * 24):
                running.go_on(db, self.start + hour * 3600, chance)
            days = {r.day for r in clicks.spend(db, self.day(-20), self.day(40))}
            self.assertEqual(days, {self.day(2), self.day(3)})
            self.assertTrue(plans.put(db, "other", self.plan(campaign="other"), self.start + 6 * 86400))
            self.assertTrue(plans.end(db, "other", self.start + 6 * 86400))
            self.assertFalse(plans.put(db, "other", self.plan(), self.start))
            running.go_on(db, self.start + 7 * 86400, chance)
            self.assertNotIn("other", {r.ad.campaign for r in clicks.spend(db, self.day(1), self.day(40))})
            self.assertIsNone(running.standing(db, "none", self.start))
            self.assertTrue(running.standing(db, PLAN, self.start))
            self.assertTrue(plans.named(db, "bees", "other") and not plans.named(db, "bees", PLAN))

    def test_what_is_told_of_conversions_is_learnt(self) -> None:
        chance = np.random.default_rng(3)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            self.put_plan(db)
            led = [c for h in range(1, 49) for c in running.go_on(db, self.start + h * 3600, chance)]
            wanted = np.zeros((6, len(BANDS)))
            for number, who in enumerate(led):
                if who.segment == 5 and "practiceclid=" in who.link:
                    click = who.link.rpartition("practiceclid=")[2]
                    at = db.execute("SELECT at FROM clicks WHERE id = ?", (click,)).fetchone()[0]
                    # One of two is taken back again.
                    report = clicks.Reported(
                        "order", str(number), 1, click, at + 60, None, "", number % 2 == 0
                    )
                    self.assertIsNone(clicks.report(db, report, "EUR"))
                    wanted[5, who.band] += number % 2
            np.testing.assert_array_equal(running.learned(db, PLAN).conversions, wanted)

    def test_what_was_missed_is_made_up_for_but_no_more_than_a_day(self) -> None:
        chance = np.random.default_rng(4)
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            self.put_plan(db)
            running.go_on(db, self.start + 20 * 86400, chance)
            days = {r.day for r in clicks.spend(db, self.day(1), self.day(40))}
        self.assertLessEqual(days, {self.day(20), self.day(21)})

    def test_lines_and_new_people(self) -> None:
        chance, seek = np.random.default_rng(5), Seek("Alderwick", 15.0, ("gardening",), devices=("phone",))
        mine = population().matching(seek)
        lines = [
            Line("young", ["lookers"], days=(0, 3), share=2.0),
            Line("old", ["lookers", "readers"], days=(14, 30)),
            Line("new", seek=seek),
        ]
        with self.store.changing() as db:
            self.put(db, "lookers", range(3000))
            self.put(db, "readers", range(2000, 6000))
            out = [lists.Member("id", identity_of(int(p))) for p in mine[:50]]
            lists.change(db, "buyers", "", out, [], 0, 0)
            self.put_plan(db, lines=lines, daily_budget=40.0)
            watched = self.watch()
            led = running.go_on(db, self.start + 4 * 86400, chance, 200)
            stands = running.standing(db, PLAN, self.start + 4 * 86400)
        assert stands is not None
        known = [n for n in range(6000) if lists.is_known(lists.Member("email", hashed(n)))]
        self.assertEqual(
            stands.people,
            {
                "young": sum(n < 3000 for n in known),
                "old": sum(n >= 3000 for n in known),
                "new": len(mine) - 50,
            },
        )
        self.assertEqual(stands.line_shares, {"young": 0.5, "old": 0.25, "new": 0.25})
        by_day = Counter[tuple[date, str]]()
        for cell in stands.cells:
            by_day[cell.day, cell.line] += float(cell.cost)  # type: ignore[assignment]
        self.assertEqual({line for _, line in by_day}, {"young", "old", "new"})
        for (_, line), cost in by_day.items():
            self.assertLessEqual(cost, 40 * stands.line_shares[line] + 1e-6)
        everybody = {hashed(n) for n in known} | {identity_of(int(p)) for p in mine[50:]}
        self.assert_reached(stands, self.shown_to(watched), everybody)
        for of in stands.reach:
            if of.line and not of.creative:
                self.assertLessEqual(of.people, stands.people[of.line])
        # Bands: how long ago the line says that they came.
        young, old = ({hashed(n) for n in known if (n < 3000) == yes} for yes in (True, False))
        self.assertEqual({c.band for c in led if c.hash in young}, {0})
        self.assertLessEqual({c.band for c in led if c.hash in old}, {2, 3})
        new = {c.hash for c in led} - young - old
        self.assertTrue(new <= {identity_of(int(p)) for p in mine[50:]} and new)
        self.assertEqual(place_of(identity_of(77)), 77)

    def test_a_shared_budget_moves_on_evidence_only(self) -> None:
        """People of one line never go through, of the other all do: whoever brings nothing loses, bit by bit, but not all."""
        chance = np.random.default_rng(6)
        lines = [Line("a", ["lookers"]), Line("b", ["readers"])]
        b_people = {hashed(n) for n in range(4000, 8000)}

        def tell(db: sqlite3.Connection, those: list[Clicked]) -> None:
            for who in those:
                click = who.link.rpartition("practiceclid=")[2]
                if who.hash in b_people and click != who.link:
                    one = (f"order-{click}", 1, click, who.at)
                    db.execute("INSERT INTO conversions VALUES ('order', ?, ?, ?, ?, NULL, '', 0)", one)

        with self.store.changing() as db:
            self.put(db, "lookers", range(4000))
            self.put(db, "readers", range(4000, 8000))
            self.put_plan(db, lines=lines, sharing="shared", daily_budget=10.0)
            running.go_on(db, self.start + 20 * 86400, chance, 600, told=tell)
            stands = running.standing(db, PLAN, self.start + 20 * 86400)
        assert stands is not None
        moves = [m for m in stands.moves if m.what == "line"]
        self.assertTrue(moves)
        cost = Counter[str]()
        before = {"a": 0.5, "b": 0.5}
        for move in reversed(moves):
            self.assertEqual((move.source, move.target), ("a", "b"))
            spent = sum(float(c.cost) for c in stands.cells if c.line == "b" and c.day < move.day)
            self.assertAlmostEqual(move.target_tally.effort, spent, 4)
            self.assertGreaterEqual(move.chance, 0.9)
            before["a"] -= move.share
            before["b"] += move.share
        self.assertAlmostEqual(stands.line_shares["a"], before["a"])
        self.assertGreaterEqual(stands.line_shares["a"], 0.1 - 1e-9)
        # Nothing was moved within a day: what a line cost beyond what it had since its morning is what the other had no use for.
        share = {"a": 0.5, "b": 0.5}
        by_day = {m.day: m for m in moves}
        for day in sorted({c.day for c in stands.cells}):
            if day in by_day:
                share = {"a": share["a"] - by_day[day].share, "b": share["b"] + by_day[day].share}
            for line in "ab":
                cost[line] = sum(float(c.cost) for c in stands.cells if (c.day, c.line) == (day, line))  # type: ignore[assignment]
            self.assertLessEqual(cost["a"] + cost["b"], 10 + 1e-6)
            for line, other in ("ab", "ba"):
                # The last click of a part may lead beyond it.
                if cost[line] > 10 * share[line] + 0.9:
                    self.assertLess(cost[other], 10 * share[other])

    def test_a_history_is_what_running_would_have_been(self) -> None:
        now = self.start + 30 * 86400
        with self.store.changing() as db:
            self.put(db, "lookers", range(8000))
            led = history.run(db, "old", self.plan(campaign="old"), 20, now, 7)
            rows = clicks.spend(db, self.day(1), self.day(40))
            told = db.execute("SELECT count(*) FROM conversions").fetchone()[0]
        self.assertEqual(told, 0)
        self.assertEqual([c.at for c in led], sorted(c.at for c in led))
        self.assertTrue(now - 20 * 86400 <= led[0].at and led[-1].at <= now)
        self.assertEqual(sum(r.clicks for r in rows), sum("practiceclid=" in c.link for c in led))
        self.assertEqual(len({r.day for r in rows}), 20)
        self.assertTrue(any(c.through for c in led))
