"""What costs much is done a few at a time, and nobody's line is another's."""

from __future__ import annotations

import asyncio
from typing import Any
from unittest.mock import patch

from django.test import SimpleTestCase

from clabo.collect.ingest.asgi import Collector
from clabo.collect.ingest.http import respond
from clabo.platform.config.turns import Turns
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import make_site

SIGN_IN = "/_allauth/browser/v1/auth/login"


class Counted:
    """Answers after a moment; knows how many it answered at once."""

    def __init__(self) -> None:
        self.now = self.most = self.answered = 0

    async def __call__(self, scope: Any, receive: Any, send: Any) -> None:
        self.now += 1
        self.most = max(self.most, self.now)
        await asyncio.sleep(0.01)
        self.now -= 1
        self.answered += 1
        await respond(send, 200, [])


async def ask(app: Any, path: str, address: str = "203.0.113.1", method: str = "POST") -> int:
    said: list[int] = []

    async def send(message: Any) -> None:
        if message["type"] == "http.response.start":
            said.append(message["status"])

    async def receive() -> Any:
        return {"type": "http.request", "body": b"", "more_body": False}

    scope = {
        "type": "http",
        "path": path,
        "method": method,
        "headers": [],
        "client": (address, 1),
        "query_string": b"",
    }
    await app(scope, receive, send)
    return said[0]


class TurnsTests(SimpleTestCase):
    def many(self, *asked: tuple[str, str]) -> tuple[Counted, list[int]]:
        behind = Counted()

        async def all_at_once() -> list[int]:
            app = Turns(behind)
            return list(await asyncio.gather(*(ask(app, path, address) for path, address in asked)))

        return behind, asyncio.run(all_at_once())

    def test_passwords_are_tried_one_at_a_time(self) -> None:
        behind, statuses = self.many(*[(SIGN_IN, f"203.0.113.{n}") for n in range(100)])
        self.assertEqual((behind.most, statuses.count(200), statuses.count(429)), (1, 31, 69))

    def test_one_address_keeps_nobody_else_out(self) -> None:
        crowd = [(SIGN_IN, "2001:db8:0:1::" + f"{n:x}") for n in range(100)]
        _, statuses = self.many(*crowd, (SIGN_IN, "198.51.100.7"), ("/api/session", "198.51.100.7"))
        self.assertEqual((statuses.count(429), statuses[-2:]), (94, [200, 200]))

    def test_what_tags_ask_holds_up_nobody_who_is_signed_in(self) -> None:
        asked = [(f"/in/key/{n:032x}.json", f"203.0.{n % 200}.1") for n in range(500)]
        behind, statuses = self.many(*asked, *[("/api/sites/1/pages", "198.51.100.7")] * 100)
        self.assertEqual(statuses[500:], [200] * 100)
        self.assertEqual((behind.most, statuses[:500].count(200)), (3 + 16, 63))


class ForgedKeys(ClearedCase):
    def test_they_wait_for_one_look_and_are_remembered(self) -> None:
        site = make_site()

        async def behind(scope: Any, receive: Any, send: Any) -> None:
            raise AssertionError("it is the collector's")

        async def attacked() -> tuple[list[int], list[int], int]:
            collector = Collector(behind)
            looks = 0
            look = collector._look_again

            async def counted() -> None:
                nonlocal looks
                looks += 1
                await look()

            with patch.object(collector, "_look_again", counted):
                keys = [f"{n:032x}" for n in range(400)]
                first = await asyncio.gather(
                    *(ask(collector, f"/hit/{key}") for key in [*keys, "x" * 5000]),
                    ask(collector, f"/tag/{site.key}.js", method="GET"),
                )
                before = looks
                again = await asyncio.gather(*(ask(collector, f"/hit/{key}") for key in keys))
            if collector._housekeeping:
                collector._housekeeping.cancel()
            self.assertEqual(looks, before)
            return list(first), list(again), looks

        first, again, looks = asyncio.run(attacked())
        self.assertEqual((set(first[:-1]), first[-1], set(again)), ({404}, 200, {404}))
        self.assertLessEqual(looks, 2)
