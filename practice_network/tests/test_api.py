"""The network as those who call it meet it."""

from __future__ import annotations

import random
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from hashlib import sha256
from pathlib import Path
from typing import Any
from unittest import TestCase
from urllib.parse import parse_qs, urlencode, urlsplit

from clabo.testing.network import KEY, Network, Told
from practice_network import clicks, lists


class Case(TestCase):
    network: Network
    ask: Callable[..., Told]

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.network = Network(Path(folder.name))
        cls.addClassCleanup(cls.network.stop)
        cls.ask = cls.network.ask

    def setUp(self) -> None:
        self.network.switch()
        for one in self.ask("GET", "/v1/status").json["lists"]:
            self.ask("DELETE", f"/v1/lists/{one['id']}")

    def change(self, key: str, **members: list[str]) -> Told:
        body = {"name": "Some", **{k: [{"kind": "email", "hash": h} for h in v] for k, v in members.items()}}
        return self.ask("POST", "/v1/lists/one/changes", body, Idempotency_Key=f"{self.id()} {key}")

    def state(self) -> dict[str, Any]:
        [found] = self.ask("GET", "/v1/status").json["lists"]
        return dict(found)


def hashed(number: int) -> str:
    return sha256(str(number).encode()).hexdigest()


class Calling(Case):
    def test_who_is_let_in(self) -> None:
        for sent in (
            {"Authorization": "Bearer other"},
            {"Authorization": f"Basic {KEY}"},
            {"Authorization": ""},
        ):
            self.assertEqual(self.ask("GET", "/v1/status", **sent).status, 401, sent)
        self.assertEqual(self.ask("GET", "/v1/status").status, 200)
        self.assertEqual(self.ask("GET", "/openapi.json").json["info"]["title"], "Practice network")

    def test_the_switches(self) -> None:
        self.network.switch(away=True)
        away = self.ask("GET", "/v1/status")
        self.assertEqual((away.status, away.headers["retry-after"]), (503, "2"))
        self.network.switch(calls=2)
        told = [self.ask("GET", "/v1/status").status for _ in range(8)]
        self.assertEqual(told[0], 200)
        self.assertIn(429, told)

    def test_what_is_too_long_or_no_hash_is_not_taken(self) -> None:
        self.assertEqual(self.ask("POST", "/v1/conversions", b"x" * 5_000_000).status, 413)
        # In pieces: how long it is cannot be said beforehand.
        self.assertEqual(self.ask("POST", "/v1/conversions", [b"{}"]).status, 413)
        self.assertEqual(self.change("no hash", add=["ada@shop.example"]).status, 422)
        self.assertEqual(self.change("x" * 200, add=[]).status, 422)


class Lists(Case):
    def test_random_changes_leave_what_a_set_holds(self) -> None:
        chance, there = random.Random(3), set[str]()
        self.network.switch(refuse=0.1)
        for call in range(60):
            add = [hashed(chance.randrange(400)) for _ in range(chance.randrange(30))]
            remove = [h for h in (hashed(chance.randrange(400)) for _ in range(10)) if h not in add]
            first = self.change(str(call), add=add, remove=remove)
            # Whoever did not hear the answer asks again: it is the same, and nothing is done twice.
            self.assertEqual(self.change(str(call), add=add, remove=remove).json, first.json)
            refused = {m["hash"] for m in first.json["refused"]}
            there |= set(add) - refused
            there -= set(remove) - refused
        state = self.state()
        self.assertEqual(state["members"], len(there))
        known = sum(bytes.fromhex(h)[-1] < lists.KNOWN_OF_256 for h in there)
        self.assertEqual((state["known"], state["ready"]), (known, True))
        self.assertEqual(self.change("1", add=[hashed(1)]).status, 409)
        self.ask("DELETE", "/v1/lists/one")
        self.assertEqual(self.ask("GET", "/v1/status").json["lists"], [])

    def test_it_takes_its_time(self) -> None:
        self.network.switch(population=500)
        self.change("a", add=[hashed(n) for n in range(100)])
        state = self.state()
        self.assertEqual((state["members"], state["known"], state["ready"]), (100, 0, False))


class Counting(Case):
    def test_spend_and_its_own_count_against_a_plain_loop(self) -> None:
        chance = random.Random(5)
        db = self.network.app.state.network.store
        now = datetime.now(UTC).replace(microsecond=0)
        days: dict[tuple[str, str], list[Any]] = {}
        items: list[dict[str, Any]] = []
        stands: dict[str, tuple[datetime, datetime, str, Decimal, bool]] = {}
        for number in range(200):
            at = now - timedelta(days=chance.randrange(1, 20), minutes=chance.randrange(1000))
            ad = clicks.Ad("bees", "keepers", chance.choice("xy"), "https://shop.example/a")
            cost = Decimal(chance.randrange(1, 900)) / 1000
            with db.changing() as connection:
                click_id = clicks.click(connection, ad, cost, at)
            row = days.setdefault((at.date().isoformat(), ad.ad), [0, Decimal(0), 0, Decimal(0)])
            row[0] += 1
            row[1] += cost
            for revision in range(1, chance.randrange(1, 4)):
                later = at + timedelta(days=chance.randrange(12))
                if later > now:
                    continue
                value, withdrawn = Decimal(chance.randrange(100)), chance.random() < 0.3
                stands[click_id] = (at, later, ad.ad, value, withdrawn)
                items.append(
                    {
                        "name": "order",
                        "event": f"e{number}",
                        "revision": revision,
                        "click": click_id,
                        "time": later.isoformat(),
                        "value": str(value),
                        "currency": "EUR",
                        "withdrawn": withdrawn,
                    }
                )
        # In any order, and more than once.
        sent = items * 2
        chance.shuffle(sent)
        answers = self.ask("POST", "/v1/conversions", {"items": sent}).json["answers"]
        self.assertEqual([a["taken"] for a in answers], [True] * len(sent))
        for at, later, name, value, withdrawn in stands.values():
            if not withdrawn and later - at <= timedelta(days=clicks.WINDOW_DAYS):
                row = days[at.date().isoformat(), name]
                row[2] += 1
                row[3] += value
        first, last = now - timedelta(days=30), now
        asked = {"first": first.date().isoformat(), "last": last.date().isoformat()}
        rows = self.ask("GET", "/v1/spend?" + urlencode(asked)).json["rows"]
        found = {
            (r["day"], r["ad"]): [r["clicks"], Decimal(r["cost"]), r["conversions"], Decimal(r["value"])]
            for r in rows
        }
        self.assertEqual(found, days)

    def test_what_is_not_taken_says_why(self) -> None:
        link = self.ask("POST", "/practice/clicks", {"landing": "https://shop.example/a?sub1=b"}).json
        query = {k: v[0] for k, v in parse_qs(urlsplit(link["link"]).query).items()}
        self.assertEqual(
            query, {"sub1": "b", "utm_source": "practice", "utm_medium": "cpc", "practiceclid": link["id"]}
        )
        now = datetime.now(UTC)
        plain = {"name": "order", "event": "1", "revision": 1, "click": link["id"], "time": now.isoformat()}
        for change, reason in (
            ({}, ""),
            ({"click": "forged"}, "click_unknown"),
            ({"time": (now - timedelta(days=2)).isoformat()}, "before_click"),
            ({"time": (now - timedelta(days=91)).isoformat()}, "too_old"),
            ({"time": (now + timedelta(days=1)).isoformat()}, "in_the_future"),
            ({"currency": "USD"}, "currency"),
        ):
            [answer] = self.ask("POST", "/v1/conversions", {"items": [{**plain, **change}]}).json["answers"]
            self.assertEqual((answer["taken"], answer["reason"]), (not reason, reason), change)


class Plans(Case):
    PLAN = {
        "campaign": "bees",
        "lines": [{"id": "all", "lists": ["one"]}],
        "highest_click": 0.9,
        "daily_budget": 15,
        "cap": 3,
        "first": "2026-11-01",
        "creatives": [
            {"id": "early", "headline": "Bees like an early start", "landing": "https://shop.example/kit"}
        ],
    }
    SEEK = {"town": "Carrow", "km": 20, "interests": ["gardening", "cooking"]}

    def test_started_changed_and_ended(self) -> None:
        self.change("a", add=[hashed(n) for n in range(50)])
        address = "/v1/plans/8f0b"
        made = self.ask("PUT", address, self.PLAN)
        known = sum(bytes.fromhex(hashed(n))[-1] < lists.KNOWN_OF_256 for n in range(50))
        self.assertEqual((made.status, made.json["people"], made.json["ended"]), (200, {"all": known}, False))
        # Said again, it is one plan.
        self.assertEqual(self.ask("PUT", address, self.PLAN).json, made.json)
        self.assertEqual(self.ask("PUT", "/v1/plans/other", self.PLAN).status, 409)
        changed = self.ask("PUT", address, {**self.PLAN, "daily_budget": 40})
        self.assertEqual(changed.json["plan"]["daily_budget"], 40)
        self.assertEqual(self.ask("DELETE", address).json["ended"], True)
        self.assertEqual(self.ask("PUT", address, self.PLAN).status, 409)
        self.assertEqual(self.ask("GET", address).json["plan"]["daily_budget"], 40)
        self.assertEqual(self.ask("GET", "/v1/plans/none").status, 404)

    def test_what_cannot_be(self) -> None:
        creative, line = self.PLAN["creatives"][0], self.PLAN["lines"][0]  # type: ignore[index]
        for change in (
            {"highest_click": 0},
            {"daily_budget": "NaN"},
            {"lines": []},
            {"lines": [{"id": "x"}]},
            {"lines": [line, line]},
            {"lines": [{**line, "seek": self.SEEK}]},  # type: ignore[dict-item]
            {"lines": [{**line, "days": [5, 2]}]},  # type: ignore[dict-item]
            {"lines": [{"id": "x", "seek": {"town": "Nowhere"}}]},
            {"lines": [{"id": "x", "seek": {"interests": ["cars", "cars"]}}]},
            {"lines": [{"id": "x", "seek": {"youngest": 60, "oldest": 20}}]},
            {"creatives": []},
            {"cap": -1},
            {"first": "soon"},
            {"placements": ["wall"]},
            {"creatives": [{**creative, "landing": "javascript:x"}]},  # type: ignore[dict-item]
            {"more": 1},
        ):
            self.assertEqual(self.ask("PUT", "/v1/plans/x", {**self.PLAN, **change}).status, 422, change)
        self.assertEqual(self.ask("PUT", "/v1/plans/a.b", self.PLAN).status, 422)

    def test_new_people_and_what_may_come_of_a_plan(self) -> None:
        choices = self.ask("GET", "/v1/people").json
        self.assertIn("Carrow", [t["name"] for t in choices["towns"]])
        found = self.ask("POST", "/v1/people", self.SEEK).json
        every = self.ask("POST", "/v1/people", {**self.SEEK, "every": True}).json
        self.assertEqual(found["people"], sum(found["each"].values()) - every["people"])
        self.assertEqual(found["both"], [["gardening", "cooking", every["people"]]])
        plan = {**self.PLAN, "lines": [{"id": "a", "lists": ["one"]}, {"id": "n", "seek": self.SEEK}]}
        told = self.ask("POST", "/v1/forecasts", {"plan": plan, "people": [40, 0], "seed": 3})
        self.assertEqual(told.json["people"], [40, found["people"]])
        self.assertEqual(len(told.json["runs"]), 39)
        again = self.ask("POST", "/v1/forecasts", {"plan": plan, "people": [40, 0], "seed": 3})
        self.assertEqual(again.json, told.json)
        nobody = self.ask("POST", "/v1/forecasts", {"plan": self.PLAN, "people": [0]}).json
        self.assertEqual(nobody["runs"], [])
        for people in ([], [1, 2], [-1]):
            body = {"plan": self.PLAN, "people": people}
            self.assertEqual(self.ask("POST", "/v1/forecasts", body).status, 422, people)

    def test_a_history(self) -> None:
        self.change("h", add=[hashed(n) for n in range(4000)])
        plan = {**self.PLAN, "campaign": "long ago", "first": "2026-01-01", "daily_budget": 60}
        told = self.ask("POST", "/practice/history/long-ago", {"plan": plan, "days": 5})
        standing = self.ask("GET", "/v1/plans/long-ago").json
        clicked = [v for v in told.json["visitors"] if "practiceclid=" in v["link"]]
        self.assertEqual(sum(c["clicks"] for c in standing["cells"]), len(clicked))
        self.assertTrue(clicked)
        self.assertEqual(
            self.ask("POST", "/practice/history/long-ago", {"plan": plan, "days": 5}).status, 409
        )
