"""Links as people build them, and what came through each against a plain loop over visits."""

from __future__ import annotations

import random
from collections import Counter, defaultdict
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from xml.dom.minidom import parseString

from django.test import TestCase

from clabo.collect.events.models import Event, Kind, Visit
from clabo.core.pages.addresses import campaign_of
from clabo.setup.conversions.models import Credit
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.links.models import AdLink
from clabo.use.spend.models import SpendImport, SpendRow

PARTS = {
    "destination": "https://shop.example/kit?colour=oak",
    "source": "Meadow",
    "medium": "CPC",
    "campaign": "May bees",
}


class Links(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        make_rule(self.site, "/thank-you", value=Decimal(59))
        self.member = Member(self.site)
        self.now = datetime.now(UTC) - timedelta(days=3)

    def test_built_by_the_rules_and_looked_at(self) -> None:
        look = self.member.ask("POST", "/links/look", PARTS)
        self.assertEqual(
            look["address"],
            "https://shop.example/kit?colour=oak&utm_source=meadow&utm_medium=cpc&utm_campaign=may-bees",
        )
        self.assertEqual([d.partition(" ")[0] for d in look["doubts"]], ["Nobody", "No"], look["doubts"])
        receive(walk(self.site, 1, self.now, "/kit"))
        batch = SpendImport.objects.create(site=self.site, file_name="f", digest="d", stored_as="s")
        SpendRow.objects.create(
            site=self.site,
            batch=batch,
            day=self.now.date(),
            source="meadow",
            campaign="May Bees",
            impressions=1,
            clicks=1,
            cost=1,
            fingerprint="x",
        )
        look = self.member.ask("POST", "/links/look", PARTS)
        self.assertEqual(
            look["doubts"],
            ["“may-bees” is spelt “May Bees” so far. Cost joins visits only where both are spelt alike."],
        )
        self.member.ask("PUT", "/link-naming", {"lower": False, "space": " ", "required": ["source", "ad"]})
        said = self.member.ask("POST", "/links/look", PARTS, status=422)
        self.assertEqual(said["field"], "ad")
        look = self.member.ask(
            "POST", "/links/look", {**PARTS, "ad": "a", "campaign": "May  Bees", "source": "meadow"}
        )
        self.assertEqual(look["doubts"], [])
        for naming in (
            {"lower": True, "space": "x", "required": []},
            {"lower": True, "space": "-", "required": ["x"]},
        ):
            self.member.ask("PUT", "/link-naming", naming, status=422)

    def test_a_page_of_ones_own_needs_no_host(self) -> None:
        look = self.member.ask("POST", "/links/look", {**PARTS, "destination": "/kit"})
        self.assertTrue(look["address"].startswith("https://shop.example/kit?"))

    def test_kept_once_with_its_code(self) -> None:
        kept = self.member.ask("POST", "/links", PARTS)
        again = self.member.ask("POST", "/links", {**PARTS, "destination": PARTS["destination"] + "#top"})
        self.assertEqual((kept["id"], AdLink.objects.count()), (again["id"], 1))
        code = self.member.client.get(f"{self.member.base}/links/{kept['id']}/qr")
        self.assertEqual((code.status_code, code["content-type"]), (200, "image/svg+xml"))
        drawn = parseString(code.content).documentElement  # noqa: S318
        # A picture of its own, which a browser shows as one.
        self.assertEqual((drawn.tagName, drawn.namespaceURI), ("svg", "http://www.w3.org/2000/svg"))
        self.member.ask("DELETE", f"/links/{kept['id']}", status=204)
        self.assertEqual(self.member.ask("GET", "/links")["links"], [])

    def test_markup_stays_text(self) -> None:
        kept = self.member.ask("POST", "/links", {**PARTS, "ad": "<script>alert(1)</script>"})
        self.assertEqual(kept["ad"], "<script>alert(1)</script>")
        code = self.member.client.get(f"{self.member.base}/links/{kept['id']}/qr")
        self.assertNotIn(b"<script", code.content)

    def test_what_came_through_each_against_a_plain_loop(self) -> None:
        chance = random.Random(2)
        links = []
        for _ in range(8):
            parts = {
                "destination": f"https://shop.example/{chance.choice(['kit', 'guide'])}",
                "source": chance.choice(["meadow", "lantern"]),
                "medium": "cpc",
                "campaign": chance.choice(["may", "june"]),
                "ad": chance.choice(["", "early"]),
                "sub_ids": chance.choice([{}, {"sub1": "a"}]),
            }
            links.append(self.member.ask("POST", "/links", parts))
        addresses = {one["id"]: one["address"] for one in links}
        hits = []
        for visitor in range(120):
            address = chance.choice(
                [*addresses.values(), "https://shop.example/kit?utm_source=other&utm_medium=cpc"]
            )
            # Case of the source does not tell visits apart; what the network adds of its own does not either.
            address = address.replace("meadow", "Meadow") + chance.choice(["", f"&fooclid={visitor}"])
            at = self.now + timedelta(minutes=chance.randrange(3000))
            hits.append(hit(self.site, at, beacon(visitor, event(address))))
            if chance.random() < 0.3:
                hits += walk(self.site, visitor, at + timedelta(minutes=2), "/thank-you")
        receive(hits)
        visits, converted, worth = Counter[int](), Counter[int](), defaultdict[int, Decimal](Decimal)
        for visit in Visit.objects.filter(site=self.site):
            first = (
                Event.objects.filter(visit=visit, kind=Kind.VIEW)
                .select_related("page")
                .order_by("time", "id")[0]
            )
            said = campaign_of(f"https://x.example/?{first.query}")
            for pk, address in addresses.items():
                mine = campaign_of(address)
                page = address.partition("?")[0].removeprefix("https://shop.example")
                same = (said.source.lower(), said.medium, said.name, said.ad_group, said.ad, said.sub_ids)
                if first.page.path == page and same == (
                    mine.source,
                    mine.medium,
                    mine.name,
                    mine.ad_group,
                    mine.ad,
                    mine.sub_ids,
                ):
                    visits[pk] += 1
                    credits = Credit.objects.filter(visit=visit, model="last_paid")
                    converted[pk] += bool(credits)
                    worth[pk] += sum((c.value or 0 for c in credits), Decimal(0))
        found = self.member.ask("GET", "/links")
        self.assertEqual(found["conversion"], "order")
        self.assertGreater(sum(visits.values()), 60)
        for link in found["links"]:
            pk = link["id"]
            told = (link["visits"], link["converted"], Decimal(link["value"]))
            self.assertEqual(told, (visits[pk], converted[pk], worth[pk]), link["address"])
