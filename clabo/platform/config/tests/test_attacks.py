"""What strangers have done to a running Clabo, done again.

What else was tried stands with what it is about: a stranger's invitation in accounts, bodies without end and half-sent
requests in test_doors, a network that floods in ingest.
"""

from __future__ import annotations

import asyncio
import time
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch
from urllib.parse import parse_qs, quote, urlsplit

from django.test import TestCase

from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Event, Page
from clabo.collect.ingest.asgi import Collector
from clabo.collect.ingest.models import InboxBatch
from clabo.collect.pipeline import runner
from clabo.collect.pipeline.models import SetAside
from clabo.core.trust.proof import sign
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.sites.services import end_proof_key, make_proof_key
from clabo.testing.asking import Member
from clabo.testing.clearing import ClearedCase
from clabo.testing.snapshot import forget
from clabo.testing.traffic import BROWSER, START, beacon, event, hit, make_rule, make_site, receive, walk


async def _nobody(scope: Any, receive: Any, send: Any) -> None:
    raise AssertionError("not the collector's")


class OneRequest(ClearedCase):
    """Whatever one request carries, by whichever of the five ways in, the others are counted."""

    def setUp(self) -> None:
        self.site, self.other = make_site(), make_site()
        self.link = save_link(
            self.site, "suits", "https://partner.example/", free_names=["pub"], pixel_sales=True
        )
        self.app = Collector(_nobody)
        for route in self.app.routes:
            route.refresh()
        # One loop for all: what is still being kept when an answer has been given must be able to end.
        self.runner = asyncio.Runner()
        self.addCleanup(self.runner.close)

    def ask(self, method: str, path: str, body: bytes = b"", **headers: str) -> tuple[int, dict[str, str]]:
        said: list[Any] = []

        async def one() -> None:
            async def receive_() -> Any:
                return {"type": "http.request", "body": body}

            async def send(message: Any) -> None:
                said.append(message)

            parts = urlsplit(path)
            scope = {
                "type": "http",
                "method": method,
                "path": parts.path,
                "query_string": parts.query.encode(),
                "headers": [(b"user-agent", BROWSER.encode())]
                + [(k.encode(), v.encode("latin-1")) for k, v in headers.items()],
                "client": ("127.0.0.1", 1),
            }
            await self.app(scope, receive_, send)
            await asyncio.sleep(0.05)

        self.runner.run(one())
        return said[0]["status"], {k.decode(): v.decode("latin-1") for k, v in said[0]["headers"]}

    def test_nul_and_worse_by_all_five_ways(self) -> None:
        key = self.site.key
        _, headers = self.ask("GET", f"/to/{key}/suits?pub=%00x&utm_source=%00s&utm_medium=a%00b&sub1=%00")
        ref = parse_qs(urlsplit(headers["location"]).query)["ref"][0]
        odd = [quote(text) for text in ("\x00", "\ufffe", "😀" * 90, "=1+1", "\u202e", "x" * 4000)] + [
            "%ed%a0%80",
            "%ff",
        ]
        for text in odd:
            self.ask("GET", f"/sale/{key}.gif?ref={ref}&value={text}&order={text}&currency={text}")
            self.ask("GET", f"/to/{key}/suits?pub={text}&sub1={text}&clabo_p={text}")
            self.ask("GET", f"/pixel/{key}.gif", referer=f"https://shop.example/{text}?utm_source={text}")
            self.ask(
                "POST",
                f"/sale/{key}",
                f'{{"ref": "{ref}", "order": "{text}"}}'.encode(),
                **{"clabo-signature": "0"},
            )
            view = event(f"/{text}?utm_source={text}&xclid={text}")
            self.ask("POST", f"/hit/{key}", beacon(1, {**view, "url": view["url"][:2000]}))
        for raw in (b'"\\u0000"', b'"\\ud800"', b'"\xed\xa0\x80"', b"1e999", b"[" * 9000):
            self.ask("POST", f"/hit/{key}", beacon(1, event("/a")).replace(b'"view"', raw))
        self.ask("POST", f"/hit/{self.other.key}", beacon(5, event("/good")))
        with patch.object(runner.log, "error"):
            runner.drain()
        self.assertEqual(Event.objects.filter(site=self.other).count(), 1)
        self.assertFalse(InboxBatch.objects.exists())
        # Not even set aside: each was refused, or cleaned on its way in.
        self.assertEqual(list(SetAside.objects.values_list("reason", flat=True)), [])
        self.assertGreater(Event.objects.filter(site=self.site).count(), 10)


class ForgedOrders(TestCase):
    """The site key is public: what can an order be done with it?"""

    def setUp(self) -> None:
        self.site = make_site()
        self.rule = self.make("order", proven_only=False)
        self.proven = self.make("proven_order", proven_only=True)

    def make(self, name: str, **fields: Any) -> ConversionRule:
        rule = {"event": {"name": "order"}}
        return make_rule(
            self.site, "/", name=name, rule=rule, value_property="value", counted_version=1, **fields
        )

    def send(self, visitor: int, minutes: int, age_minutes: int = 0, **properties: Any) -> None:
        mark = event("/x", kind="mark", name="order", properties=properties, age=age_minutes * 60_000)
        receive([hit(self.site, START + timedelta(minutes=minutes), beacon(visitor, event("/x"), mark))])

    def orders(self, rule: ConversionRule) -> list[tuple[int, float | None]]:
        rows = Conversion.objects.filter(rule=rule).order_by("order", "time")
        return [
            (int(key.hex, 16), value and float(value))
            for key, value in rows.values_list("visitor__key", "value")
        ]

    def test_an_order_cannot_be_taken_or_emptied_afterwards(self) -> None:
        self.send(1, 60, order="A-1", value=59.0)
        # Worth nothing, and stated to have been before it; by another and by the same visitor.
        self.send(2, 90, age_minutes=600, order="A-1", value=0.0)
        self.send(1, 91, age_minutes=600, order="A-1", value=0.0)
        self.assertEqual(self.orders(self.rule), [(1, 59.0)])

    def test_an_order_cannot_be_blocked_beforehand_where_a_proof_is_asked_for(self) -> None:
        key = make_proof_key(self.site)
        self.send(9, 10, order="A-1", value=0.0)
        self.send(9, 11, order="A-1", value=9999.0, proof="0" * 64)
        self.send(1, 60, order="A-1", value=59.9, currency="EUR", proof=sign(key.secret, "A-1", 59.9, "EUR"))
        self.assertEqual(self.orders(self.proven), [(1, 59.9)])
        told = next(c for c in Member(self.site).ask("GET", "/conversions") if c["name"] == "proven_order")
        self.assertEqual(told["proven_only"], True)
        self.assertNotIn("proof", Event.objects.filter(proven=True).get().properties or {})

    def test_keys_replace_each_other_without_a_gap(self) -> None:
        old, new = make_proof_key(self.site), make_proof_key(self.site)
        for number, key in enumerate((old, new)):
            self.send(number, number, order=f"B-{number}", proof=sign(key.secret, f"B-{number}"))
        end_proof_key(self.site, old.pk)
        self.send(5, 9, order="B-5", proof=sign(old.secret, "B-5"))
        self.assertEqual([who for who, _ in self.orders(self.proven)], [0, 1])

    def test_how_many_are_left_aside_is_said(self) -> None:
        today = datetime.now(UTC) - timedelta(minutes=5)
        for number in range(3):
            mark = event("/x", kind="mark", name="order", properties={"order": f"C-{number}"})
            receive([hit(self.site, today, beacon(number, event("/x"), mark))])
        member = Member(self.site)
        told = next(c for c in member.ask("GET", "/conversions") if c["name"] == "proven_order")
        self.assertEqual((told["recent"], told["unproven"]), (0, 3))
        asked = {"rule": {"event": {"name": "order"}}, "counting": "every", "proven_only": True}
        preview = member.ask("POST", "/conversions/preview", asked)
        self.assertEqual((preview["conversions"], preview["unproven"]), (0, 3))


class MadeUpPages(TestCase):
    """Sixty thousand pages that nobody has: no screen gets slow by them, and Today says so."""

    def test_screens_stay_quick_and_it_is_told(self) -> None:
        site = make_site(time_zone="UTC")
        now = datetime.now(UTC)
        receive(
            [e for back in range(3, 20) for e in walk(site, back, now - timedelta(days=back), "/a", "/b")]
        )
        begin = now - timedelta(hours=2)
        bodies = [
            beacon(number, *[event(f"/made-up-{number}-{n}") for n in range(50)]) for number in range(430)
        ]
        receive([hit(site, begin, body) for body in bodies])
        self.assertEqual(Page.objects.filter(site=site).count(), 20_000 + 1)
        member = Member(site)
        for path in ("/pages", "/coverage", "/pixel", "/today", "/lens"):
            # Five seconds and more it was; the bound is wide, for this is no benchmark. A machine that is busy with
            # other things for a moment is not what is meant: one of three first openings has to be quick.
            took: list[float] = []
            while len(took) < 3 and min(took, default=9.0) >= 3:
                forget()
                begun = time.monotonic()
                member.ask("GET", path)
                took.append(time.monotonic() - begun)
            self.assertLess(min(took), 3, path)
        told = member.ask("GET", "/today")["suspect"]
        self.assertIn("pages", [s["kind"] for s in told])
        self.assertEqual(len(member.ask("GET", "/pages")["rows"]), 501)
