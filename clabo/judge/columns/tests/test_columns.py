"""Columns of one's own on the reports that there are."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase

from clabo.core.evidence import count_ratio, rate_interval
from clabo.testing.asking import Member
from clabo.testing.traffic import make_rule, make_site, receive, walk
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

NOON = datetime.now(UTC).replace(hour=10, minute=0, second=0, microsecond=0) - timedelta(days=2)


class OwnColumns(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        make_rule(self.site, "/thank-you", value=Decimal(10))
        hits = []
        for n in range(20):
            hits += walk(
                self.site, n, NOON, "/a?utm_source=meadow&utm_medium=cpc", *(["/b"] if n % 2 else [])
            )
        receive(hits)
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="0", stored_as="0", state="done"
        )
        SpendRow.objects.create(
            site=self.site,
            batch=batch,
            day=NOON.date(),
            source="meadow",
            impressions=900,
            clicks=25,
            cost=Decimal("12.5"),
            fingerprint="0",
        )
        rejoin(self.site.pk, [NOON.date()])
        self.member = Member(self.site)

    def make(self, name: str, over: str, under: str, status: int = 200, **more: Any) -> Any:
        body = {"name": name, "numerator": over, "denominator": under, **more}
        return self.member.ask("POST", "/columns", body, status)

    def row(self, what: str = "/pages?period=7d&visitors=true") -> dict[str, Any]:
        found: dict[str, Any] = self.member.ask("GET", what)["rows"][0]["own"]
        return found

    def test_each_is_its_two_numbers_with_the_interval_that_they_allow(self) -> None:
        arrived = self.make("Arrived", "entries", "clicks")
        each = self.make("Cost of a bounce", "spend", "bounces")
        new = self.make("New people", "new_visitors", "visitors")
        self.make("Never", "spend", "converted")
        self.assertEqual((arrived["share"], new["share"]), (False, True))
        own = self.row()
        expected = count_ratio(20, 25)
        found = own[str(arrived["id"])]
        self.assertAlmostEqual(found["low"], expected.low)
        self.assertAlmostEqual(found["high"], expected.high)
        self.assertEqual(own[str(each["id"])], {"low": None, "estimate": 1.25, "high": None, "marked": False})
        self.assertAlmostEqual(own[str(new["id"])]["low"], rate_interval(20, 20).low)
        self.assertEqual(len(own), 3)
        self.assertEqual(set(self.row("/sources?period=7d&by=source")), {str(arrived["id"]), str(each["id"])})

    def test_a_mark_asks_for_evidence(self) -> None:
        under = [
            self.make(f"Under {at}", "entries", "clicks", mark="under", mark_at=at)["id"]
            for at in ("0.9", "2")
        ]
        over = self.make("Over", "spend", "bounces", mark="over", mark_at="1.2")["id"]
        own = self.row()
        self.assertEqual([own[str(i)]["marked"] for i in (*under, over)], [False, True, True])

    def test_what_cannot_be_made_names_its_field(self) -> None:
        self.make("One", "entries", "clicks")
        for said, field, status in (
            (("One", "entries", "clicks"), "name", 409),
            ((" ", "entries", "clicks"), "name", 422),
            (("X", "entries", "entries"), "denominator", 422),
            (("X", "entries", "luck"), "denominator", 422),
        ):
            self.assertEqual(self.make(*said, status=status)["field"], field)
        self.assertEqual(self.make("X", "entries", "clicks", 422, mark="under")["field"], "mark_at")
        gone = self.make("Two", "clicks", "entries")["id"]
        self.member.ask("DELETE", f"/columns/{gone}", status=204)
        self.member.ask("DELETE", f"/columns/{gone}", status=404)

    def test_it_stands_in_files(self) -> None:
        self.make("=Arrived", "entries", "clicks")
        answer = self.member.client.get(f"{self.member.base}/pages?period=7d&format=csv")
        row = next(csv.DictReader(io.StringIO(b"".join(answer.streaming_content).decode())))  # type: ignore[arg-type]
        self.assertEqual(row["own =Arrived"], "0.8")
