"""Every report in every state a site can be in answers, with JSON that is JSON."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase

from clabo.judge.columns.services import make_column
from clabo.judge.paths.services import keep_path
from clabo.judge.splits import life, services
from clabo.judge.splits.models import SplitTest
from clabo.platform.config.api import api
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

NOW = datetime.now(UTC)
# Lenses in which there may be nothing.
LENSES = (
    "period=28d&visitors=true",
    "period=1d&compare=before",
    "period=2001-01-01..2001-01-02",
    "period=28d&origin=channel:affiliate",
    "period=28d&origin=source:nowhere&device=tablet&model=linear&compare=before",
)
MEASURES = [
    {"what": "bounce", "guard": True, "margin": 0.1},
    {"what": "value", "conversion": 0, "guard": True, "margin": 0.1},
]


class States(TestCase):
    def _site(self) -> tuple[Site, dict[str, Any]]:
        site = make_site()
        rule = make_rule(site, "/thank-you", value_property="value", rule={"event": {"name": "order"}})
        make_rule(site, "/thank-you", name="lead")
        ConversionRule.objects.update(counted_version=1)
        kit = {"page": {"match": "equals", "value": "/kit"}}
        path = keep_path(site, "Way", [kit, {"conversion": rule.pk}], None, None)
        audience = make_audience(site, AudienceContent("Kit", {"include": {"what": kit}}), None)
        make_column(site, "Own", "revenue", "entries", "", None, None)
        return site, {"rule_id": rule.pk, "path_id": path.pk, "audience_id": audience.pk}

    def _paid(self, site: Site) -> None:
        batch = SpendImport.objects.create(site=site, file_name="x", digest="x", stored_as="x")
        days = [(NOW - timedelta(days=n)).date() for n in range(4)]
        for day in days:
            SpendRow.objects.create(
                site=site,
                batch=batch,
                day=day,
                source="meadow",
                landing="shop.example/kit",
                impressions=9,
                clicks=2,
                cost=Decimal(7),
                conversions=Decimal(1),
                fingerprint="",
            )
        rejoin(site.pk, days)

    def _content(self, site: Site, measures: list[dict[str, Any]]) -> services.SplitContent:
        return services.SplitContent(
            name="Two",
            rule=ConversionRule.objects.get(site=site, name="lead"),
            addresses=["/a", "/b"],
            shares=[50, 50],
            traffic=100,
            baseline=0.1,
            smallest_lift=0.5,
            measures=measures,
        )

    def _split(self, site: Site, rule: int, *arms: int) -> SplitTest:
        """A test that runs, with so many visitors in each arm."""
        receive(walk(site, 1, NOW - timedelta(days=9), "/a", "/b"))
        content = self._content(
            site, [{**m, **({"conversion": rule} if "conversion" in m else {})} for m in MEASURES]
        )
        test = life.start(services.save_test(site, content), NOW - timedelta(days=3))
        variants = list(test.variants.all())
        for letter, wanted in zip("AB", arms, strict=False):
            person = 100
            while wanted:
                person += 1
                if test.assigned(f"{person:032x}", variants) == letter:
                    said = event(f"/{letter.lower()}", variants={test.key: letter})
                    receive([hit(site, NOW - timedelta(days=2), beacon(person, said))])
                    wanted -= 1
        return test

    def test_every_report_answers(self) -> None:
        for state in ("new", "set up", "paid", "one visitor", "one arm", "both arms", "draft"):
            with self.subTest(state=state):
                site, ids = (make_site(), {}) if state == "new" else self._site()
                if state in ("paid", "one arm"):
                    self._paid(site)
                if state == "one visitor":
                    receive(walk(site, 7, NOW - timedelta(hours=2), "/kit"))
                arms = {"one arm": (0, 3), "both arms": (1, 1), "paid": (0, 0)}.get(state)
                if arms is not None:
                    ids["test_id"] = self._split(site, ids["rule_id"], *arms).pk
                if state == "draft":
                    receive(walk(site, 1, NOW - timedelta(days=9), "/a", "/b"))
                    content = self._content(site, MEASURES[:1])
                    ids["test_id"] = services.save_test(site, content).pk
                self._ask(site, ids, LENSES if state in ("set up", "one arm") else LENSES[1:2])

    def _ask(self, site: Site, ids: dict[str, Any], lenses: tuple[str, ...]) -> None:
        member = Member(site)
        pages = [p["page_id"] for p in member.ask("GET", "/pages?period=28d")["rows"] if p["page_id"]]
        ids = {**ids, **({"page_id": pages[0]} if pages else {})}
        seen = 0
        for path, queries in self._reads(lenses):
            try:
                filled = path.format(**ids)
            except KeyError:
                continue
            for query in queries:
                if pages:
                    many = "&".join(f"page={p}" for p in pages[:4])
                    query += f"&a={pages[0]}&b={pages[-1]}&{many}"
                answer = member.client.get(f"{member.base}{filled}?{query}&by=device&grain=week")
                self.assertLess(answer.status_code, 500, (path, query))
                if answer.get("content-type", "").startswith("application/json"):
                    member.read(answer)
                    seen += 1
        self.assertGreater(seen, 30)

    def _reads(self, lenses: tuple[str, ...]) -> Iterator[tuple[str, tuple[str, ...]]]:
        """What is below a site's own address, with the lenses that it takes."""
        start = "/api/sites/{site_id}"
        for path, methods in api.get_openapi_schema()["paths"].items():
            get = methods.get("get")
            if get and path.startswith(start):
                takes = {p["name"] for p in get.get("parameters", [])}
                yield path.removeprefix(start), lenses if "period" in takes else ("",)
