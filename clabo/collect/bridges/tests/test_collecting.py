"""Bridge links: the step is counted, the visitor forwarded, the sale credited; and nobody else's wishes are met."""

from __future__ import annotations

import asyncio
import json
import tempfile
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any
from unittest import TestCase as PlainTestCase
from unittest.mock import patch
from urllib.parse import parse_qs, urlsplit
from uuid import uuid4

import psycopg
from django.test import override_settings
from hypothesis import given
from hypothesis import strategies as st

from clabo.collect.bridges.queries import brought
from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Event, Kind, Visit
from clabo.collect.ingest import inbox
from clabo.collect.ingest.asgi import Collector
from clabo.collect.pipeline import runner
from clabo.core.paths import bridge
from clabo.platform.db import partitions
from clabo.platform.logs import Seldom
from clabo.platform.problems import Problem
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.testing.asking import Member
from clabo.testing.clearing import ClearedCase
from clabo.testing.traffic import BROWSER, make_site, receive, walk

TARGET = "https://partner.example/suits?shop=1#top"


class Addresses(PlainTestCase):
    secret = b"s" * 32

    @given(st.dictionaries(st.text(max_size=12), st.text(max_size=30), max_size=6), st.text(max_size=60))
    def test_whatever_is_passed_on_the_place_stays_the_owners(self, given_: dict[str, str], raw: str) -> None:
        for parameters in (list(given_.items()), bridge.carried_parameters(raw, given_)):
            address = urlsplit(bridge.forward_to(TARGET, parameters, "ref", "R"))
            self.assertEqual(
                (address.scheme, address.netloc, address.path), ("https", "partner.example", "/suits")
            )
            query = parse_qs(address.query)
            self.assertEqual((query["shop"], query["ref"]), (["1"], ["R"]))

    def test_a_reference_is_ours_or_none(self) -> None:
        step = bridge.Step(uuid4(), 77, uuid4())
        text = bridge.make_reference(step, self.secret)
        self.assertEqual(bridge.read_reference(text, self.secret), step)
        self.assertIsNone(bridge.read_reference(text, b"other" * 8))
        for place in range(64):
            forged = text[:place] + ("A" if text[place] != "A" else "B") + text[place + 1 :]
            self.assertIsNone(bridge.read_reference(forged, self.secret), place)
        for nonsense in ("", "x" * 64, "ä" * 64, text + "A", text[:-1]):
            self.assertIsNone(bridge.read_reference(nonsense, self.secret))

    def test_which_parameters_are_kept(self) -> None:
        query = "utm_source=a&sub3=b&xyclid=c&mail=private%40x&pub=7&utm_evil=1&sub9=2&__proto__=3"
        self.assertEqual(
            bridge.carried_parameters(query, ["pub"]),
            [("utm_source", "a"), ("sub3", "b"), ("xyclid", "c"), ("pub", "7")],
        )


class Bridges(ClearedCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.link = save_link(self.site, "suits-partner", TARGET, "ref", ["pub"])
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def asked(
        self, *requests: tuple[str, str, bytes, dict[str, str]]
    ) -> list[tuple[int, dict[str, str], bytes]]:
        async def all_of_them() -> list[tuple[int, dict[str, str], bytes]]:
            async def nothing(*args: Any) -> None:
                raise AssertionError("Django was asked")

            with override_settings(CLABO_SPOOL_DIR=self.folder):
                collector = Collector(behind=nothing)
                for refresh in (
                    collector.directory.refresh,
                    collector.salts.refresh,
                    *(route.refresh for route in collector.routes),
                ):
                    await asyncio.to_thread(refresh)
                answers = [await self.one(collector, *r) for r in requests]
                await asyncio.sleep(0.1)
                assert collector._housekeeping
                collector._housekeeping.cancel()
                return answers

        return asyncio.run(all_of_them())

    async def one(
        self, collector: Collector, method: str, address: str, body: bytes, headers: dict[str, str]
    ) -> tuple[int, dict[str, str], bytes]:
        path, _, query = address.partition("?")
        scope = {
            "type": "http",
            "method": method,
            "path": path,
            "query_string": query.encode(),
            "client": ("203.0.113.9", 1),
            "headers": [(k.encode(), v.encode()) for k, v in {"user-agent": BROWSER, **headers}.items()],
        }
        sent: list[Any] = []

        async def receive_() -> Any:
            return {"type": "http.request", "body": body, "more_body": False}

        async def send(message: Any) -> None:
            sent.append(message)

        await collector(scope, receive_, send)
        told = {k.decode(): v.decode() for k, v in sent[0]["headers"]}
        return sent[0]["status"], told, sent[1]["body"]

    def rule(self, language: Any, **fields: Any) -> ConversionRule:
        return ConversionRule.objects.create(
            site=self.site,
            **{"name": "it", "category": "purchase", "counting": "every", "rule": language, **fields},
        )

    def follow(self, query: str = "", **headers: str) -> tuple[int, dict[str, str], bytes]:
        return self.asked(("GET", f"/to/{self.site.key}/suits-partner{query}", b"", headers))[0]

    def test_a_step_and_its_sale_are_credited_to_the_page_and_touch_that_sent_the_visitor(self) -> None:
        self.rule({"step": {"link": "suits-partner"}}, name="step")
        self.rule({"sale": {}}, name="sale", value_property="value")
        receive(
            walk(
                self.site,
                7,
                datetime.now(UTC) - timedelta(minutes=3),
                "/suits?utm_source=meadow&utm_medium=cpc&utm_campaign=gear",
            )
        )
        page = "https%3A%2F%2Fshop.example%2Fsuits"
        status, headers, _ = self.follow(
            f"?clabo_v={7:032x}&clabo_p={page}&utm_source=meadow&sub1=s1&pub=9&mail=x%40y"
        )
        self.assertEqual(status, 302)
        address = urlsplit(headers["location"])
        query = {k: v[0] for k, v in parse_qs(address.query).items()}
        reference = query.pop("ref")
        self.assertEqual(query, {"shop": "1", "utm_source": "meadow", "sub1": "s1", "pub": "9"})
        report = json.dumps({"ref": reference, "value": 80.5, "order": "P-1"}).encode()
        sign = {"clabo-signature": bridge.signature(report, self.link.secret)}
        forged = {"clabo-signature": bridge.signature(report, "guessed")}
        sale = ("POST", f"/sale/{self.site.key}", report, sign)
        answers = self.asked(sale, sale, (*sale[:3], forged), (*sale[:2], report + b" ", sign))
        self.assertEqual([a[0] for a in answers], [204, 204, 403, 403])
        runner.drain()
        found = {c.rule.name: c for c in Conversion.objects.select_related("rule", "visitor", "visit")}
        self.assertEqual(Conversion.objects.count(), 2)  # Reported twice is one sale.
        self.assertEqual((str(found["sale"].value), found["sale"].order), ("80.5000", "P-1"))
        self.assertEqual({int(c.visitor.key) for c in found.values()}, {7})
        credit = Credit.objects.select_related("page", "origin").get(rule__name="step", model="last_paid")
        assert credit.page
        self.assertEqual((credit.page.path, credit.origin.campaign), ("/suits", "gear"))
        step = Event.objects.select_related("page").get(kind=Kind.STEP)
        self.assertEqual((step.page.path, step.name), ("/suits", "suits-partner"))

    def test_what_a_link_brought_by_page_source_and_sub_id(self) -> None:
        minutes = datetime.now(UTC) - timedelta(minutes=3)
        receive(walk(self.site, 7, minutes, "/suits?utm_source=meadow&utm_medium=cpc&utm_campaign=gear"))
        receive(walk(self.site, 8, minutes, "/kits"))
        reported = [(7, "suits", "s1", "a", 80.5), (7, "suits", "s2", "a", 10), (8, "kits", "s1", "b", None)]
        for visitor, page, sub, pub, value in reported:
            query = f"?clabo_v={visitor:032x}&clabo_p=https://shop.example/{page}&sub1={sub}&pub={pub}"
            _, headers, _ = self.follow(query)
            if value:
                reference = parse_qs(urlsplit(headers["location"]).query)["ref"][0]
                for order in ("P-1", "P-2"):
                    report = json.dumps({"ref": reference, "value": value, "order": order + sub}).encode()
                    sign = {"clabo-signature": bridge.signature(report, self.link.secret)}
                    self.asked(("POST", f"/sale/{self.site.key}", report, sign))
        runner.drain()

        def told(by: str) -> list[tuple[str, int, int, int, str]]:
            rows = brought(self.site, self.link, by, minutes).rows
            return [(r.label, r.steps, r.sold, r.sales, f"{r.value:.2f}") for r in rows]

        # A visitor has followed it twice: each sale belongs to the step that it was reported for.
        self.assertEqual(told("sub1"), [("s1", 2, 1, 2, "161.00"), ("s2", 1, 1, 2, "20.00")])
        self.assertEqual(told("pub"), [("a", 2, 2, 4, "181.00"), ("b", 1, 0, 0, "0.00")])
        self.assertEqual(
            told("page"),
            [("shop.example/suits", 2, 2, 4, "181.00"), ("shop.example/kits", 1, 0, 0, "0.00")],
        )
        self.assertEqual([row[:2] for row in told("source")], [("meadow", 2), ("direct", 1)])
        member = Member(self.site)
        answer = member.ask("GET", f"/bridges/{self.link.pk}/brought?by=sub1")
        self.assertEqual(answer["choices"], ["page", "source", "campaign", "ad", "sub1", "pub"])
        self.assertEqual((answer["whole"]["steps"], answer["whole"]["sold"]), (3, 2))
        self.assertTrue(0 < answer["rows"][0]["low"] < 0.5 < answer["rows"][0]["high"])
        member.ask("GET", f"/bridges/{self.link.pk}/brought?by=visitor", status=422)
        # The last 28 days are days of the site, as everywhere.
        before = self.site.last_days(28) - timedelta(seconds=1)
        partitions.ensure(Event._meta.db_table, [before])
        Event.objects.update(time=before)
        self.assertEqual(member.ask("GET", f"/bridges/{self.link.pk}/brought")["whole"]["steps"], 0)

    def test_straight_from_an_ad_the_link_says_where_the_visit_came_from(self) -> None:
        self.rule({"step": {}})
        self.follow("?utm_source=hivepost&utm_medium=cpc&utm_campaign=veil&sub2=x")
        runner.drain()
        visit = Visit.objects.select_related("origin").get()
        self.assertEqual((visit.origin.channel, visit.origin.source), ("paid", "hivepost"))
        self.assertEqual((visit.sub_ids, visit.views), ({"sub2": "x"}, 0))
        # A visit without a view is no touch: the credit is nobody's, and is there all the same.
        credit = Credit.objects.get(model="last")
        self.assertEqual((credit.visit, credit.page, credit.origin, credit.share), (None, None, None, 1))

    def test_it_leads_nowhere_else(self) -> None:
        base = f"/to/{self.site.key}"
        asked = [
            ("GET", f"{base}/suits-partner?target=https://evil.example&ref=x&url=//evil.example", b"", {}),
            ("GET", f"{base}/https://evil.example", b"", {}),
            ("GET", f"{base}//evil.example", b"", {}),
            ("GET", "/to/0000000000000000/suits-partner", b"", {}),
            ("POST", f"{base}/suits-partner", b"", {}),
            ("HEAD", f"{base}/suits-partner", b"", {}),
            ("GET", f"{base}/suits-partner?utm_source=%0d%0aset-cookie:x=1", b"", {}),
        ]
        answers = self.asked(*asked)  # type: ignore[arg-type]
        self.assertEqual([a[0] for a in answers], [302, 404, 404, 404, 404, 302, 302])
        for status, headers, _ in answers:
            if status == 302:
                self.assertTrue(headers["location"].startswith("https://partner.example/suits?shop=1&"))
                self.assertNotIn("\n", headers["location"])
        runner.drain()
        self.assertEqual(Event.objects.filter(kind=Kind.STEP).count(), 2)  # A look ahead by HEAD is no step.

    def test_it_forwards_while_the_database_is_away_and_counts_later(self) -> None:
        # A line a minute: another test may have had this minute's.
        seldom = patch.object(inbox, "_away", Seldom(inbox.log.warning))
        with (
            seldom,
            patch.object(inbox.Writer, "write", side_effect=psycopg.OperationalError),
            self.assertLogs("clabo.collect.ingest.inbox"),
        ):
            status, headers, _ = self.follow("?sub1=a")
        self.assertEqual((status, headers["location"][:29]), (302, "https://partner.example/suits"))
        self.assertEqual(inbox.Spool(self.folder).replay(), 1)
        runner.drain()
        self.assertEqual(Event.objects.get().kind, Kind.STEP)

    def test_an_image_reports_a_sale_only_where_the_owner_lets_it(self) -> None:
        _, headers, _ = self.follow()
        reference = parse_qs(urlsplit(headers["location"]).query)["ref"][0]
        image = ("GET", f"/sale/{self.site.key}.gif?ref={reference}&value=12.50&order=1", b"", {})
        self.assertEqual(self.asked(image)[0][0], 403)
        self.link.pixel_sales = True
        self.link.save()
        self.assertEqual(self.asked(image)[0][:1], (200,))
        wrong = ("GET", f"/sale/{self.site.key}.gif?ref=x&value=12.50", b"", {})
        other = make_site(name="Other")
        elsewhere = ("GET", f"/sale/{other.key}.gif?ref={reference}", b"", {})
        self.assertEqual([a[0] for a in self.asked(wrong, elsewhere)], [422, 422])
        runner.drain()
        step = Event.objects.get(kind=Kind.STEP)
        self.assertEqual(
            Event.objects.get(kind=Kind.SALE).properties,
            {"link": "suits-partner", "step": step.id.hex, "value": "12.50", "order": "1"},
        )

    def test_the_tag_itself_may_not_say_that_a_step_or_a_sale_happened(self) -> None:
        for kind in ("step", "sale"):
            body = json.dumps(
                {
                    "visitor": "0" * 32,
                    "device": "desktop",
                    "events": [
                        {"id": "1" * 32, "kind": kind, "age": 0, "url": "https://shop.example/", "name": "x"}
                    ],
                }
            ).encode()
            self.assertEqual(self.asked(("POST", f"/hit/{self.site.key}", body, {}))[0][0], 422)

    def test_what_cannot_be_forwarded_to(self) -> None:
        for changes, field in (
            ({"target": "javascript:alert(1)"}, "target"),
            ({"target": "https://user:pw@partner.example/"}, "target"),
            ({"target": "https://shop.example/a"}, "target"),
            ({"slug": "Suits!"}, "slug"),
            ({"slug": "suits-partner"}, "slug"),
            ({"free_names": ["clabo_v"]}, "free_names"),
            ({"reference_name": "a b"}, "reference_name"),
        ):
            with self.assertRaises(Problem, msg=field) as caught:
                save_link(self.site, **{"slug": "other", "target": TARGET, **changes})  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, field)
