"""Sources beside Pages: the same visits say the same, names in any case are one, and intervals are of their own rows."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase
from scipy import stats

from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

DAYS = 6
# Of the first of so many days that are over, and a lens that sees them and today.
MORNING = datetime.now(UTC).replace(hour=5, minute=0, second=0, microsecond=0) - timedelta(days=DAYS)
LENS = f"{DAYS + 1}d"


def spend(site: Site, costs: dict[str, str], days: int = DAYS + 1) -> None:
    """So much a day of each source."""
    batch = SpendImport.objects.create(site=site, file_name="x", digest="x", stored_as="x")
    every = [(MORNING + timedelta(days=n)).date() for n in range(days)]
    for source, cost in costs.items():
        for day in every:
            SpendRow.objects.create(
                site=site,
                batch=batch,
                day=day,
                source=source,
                impressions=0,
                clicks=0,
                cost=Decimal(cost),
                fingerprint="",
            )
    rejoin(site.pk, every)


def order(value: float, **more: Any) -> dict[str, Any]:
    return event(kind="mark", name="order", properties={"value": value, **more})


class Intervals(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        make_rule(self.site, "/", value_property="value", rule={"event": {"name": "order"}})
        ConversionRule.objects.update(counted_version=1)

    def test_what_is_opened_within_a_value_is_of_its_rows_alone(self) -> None:
        """A cheap source and a dear one lead to the same page; each costs the same every day."""
        hits, visitor = [], 0
        for day in range(DAYS):
            for number in range(12):
                visitor += 1
                source, value = ("meadow", 2.0) if number % 2 else ("post", 900.0)
                at = MORNING + timedelta(days=day, minutes=number)
                hits += walk(self.site, visitor, at, f"/a?utm_source={source}&utm_medium=cpc")
                if number % 4 in (0, 1):
                    hits.append(hit(self.site, at + timedelta(minutes=1), beacon(visitor, order(value))))
        receive(hits)
        spend(self.site, {"meadow": "20", "post": "20"})
        member = Member(self.site)
        words = f"period={LENS}"
        for source in ("meadow", "post"):
            [page] = member.ask("GET", f"/pages?{words}&origin=source:{source}")["rows"]
            opened = member.ask("GET", f"/sources?{words}&by=page&at=source:{source}")
            by_device = member.ask("GET", f"/sources?{words}&by=device&at=source:{source}&at=returning:new")
            for row in (opened["rows"][0], opened["total"], by_device["rows"][0]):
                self.assertAlmostEqual(row["roas"] and float(row["roas"]), float(page["roas"]))
                for limit in ("low", "high"):
                    self.assertAlmostEqual(
                        row["roas_interval"][limit], page["roas_interval"][limit], 6, (source, row)
                    )

    def test_revenue_of_no_known_visit_makes_no_order_dearer(self) -> None:
        at = MORNING + timedelta(hours=2)
        receive(walk(self.site, 1, at, "/a?utm_source=meadow&utm_medium=cpc"))
        receive([hit(self.site, at + timedelta(minutes=1), beacon(1, order(50.0)))])
        # Nobody saw these on a page.
        lone = [hit(self.site, at + timedelta(hours=n), beacon(70 + n, order(1000.0))) for n in range(3)]
        receive(lone)
        spend(self.site, {"meadow": "100"}, days=1)
        points = Member(self.site).ask("GET", f"/pages/series?period={LENS}")["points"]
        [point] = [p for p in points if Decimal(p["spend"])]
        self.assertEqual(Decimal(point["roas"]), Decimal("30.5"))
        # One of 50 and three of 1,000: the gamma limit of such a sum; how much a fifth may bring four do not tell.
        total, squares = 3050, 50**2 + 3 * 1000**2
        low = stats.gamma.ppf(0.025, total**2 / squares, scale=squares / total) / 100
        self.assertAlmostEqual(point["roas_interval"]["low"], low, 6)
        self.assertIsNone(point["roas_interval"]["high"])

    def test_an_order_shared_by_several_visits_is_one_order(self) -> None:
        hits = []
        for day in range(4):
            hits += walk(self.site, 1, MORNING + timedelta(days=day), "/a?utm_source=meadow&utm_medium=cpc")
        hits.append(hit(self.site, MORNING + timedelta(days=3, minutes=1), beacon(1, order(80.0))))
        receive(hits)
        spend(self.site, {"meadow": "1"}, days=4)
        [row] = Member(self.site).ask("GET", f"/pages?period={LENS}&model=linear")["rows"]
        self.assertEqual((row["converted"], Decimal(row["conversions"])), (4, 1))
        spent = float(row["spend"])
        self.assertAlmostEqual(row["roas_interval"]["low"], stats.chi2.ppf(0.025, 2) / 2 * 80 / spent, 6)
        # Of one order nobody knows how much they differ.
        self.assertIsNone(row["roas_interval"]["high"])

    def test_orders_whose_money_is_left_out_are_in_no_average(self) -> None:
        hits = []
        for visitor in range(10):
            at = MORNING + timedelta(minutes=visitor)
            currency = "USD" if visitor % 2 else "EUR"
            hits += walk(self.site, visitor + 1, at, "/a")
            hits.append(
                hit(
                    self.site, at + timedelta(seconds=9), beacon(visitor + 1, order(100.0, currency=currency))
                )
            )
        receive(hits)
        [row] = Member(self.site).ask("GET", f"/pages?period={LENS}")["rows"]
        self.assertEqual((Decimal(row["conversions"]), Decimal(row["aov"])), (10, 100))


class Names(TestCase):
    def test_they_are_alike_in_any_case_as_where_spend_is_joined(self) -> None:
        site = make_site(time_zone="UTC")
        hits = []
        for visitor, (medium, campaign) in enumerate(
            [("cpc", "May"), ("CPC", "may"), ("Cpc", "MAY"), ("cpc", "May"), ("cpc", "June")], 1
        ):
            hits += walk(
                site, visitor, MORNING, f"/a?utm_source=Meadow&utm_medium={medium}&utm_campaign={campaign}"
            )
        # The same ad in another spelling begins no other visit.
        hits += walk(
            site, 1, MORNING + timedelta(minutes=2), "/a?utm_source=meadow&utm_medium=CPC&utm_campaign=mAy"
        )
        receive(hits)
        spend(site, {"meadow": "10"}, days=1)
        member = Member(site)
        for by, expected in (("medium", {"cpc": 5}), ("campaign", {"May": 4, "June": 1})):
            rows = member.ask("GET", f"/sources?period={LENS}&by={by}")["rows"]
            self.assertEqual(
                {r["name"].lower(): r["entries"] for r in rows}, {k.lower(): n for k, n in expected.items()}
            )
            self.assertEqual(sum(Decimal(r["spend"]) for r in rows), 10)
        for within in ("campaign:May", "campaign:mAY"):
            opened = member.ask("GET", f"/sources?period={LENS}&by=device&at={within}")
            self.assertEqual(opened["total"]["entries"], 4)
        definition = {"include": {"what": {"came": {"campaign": "mAY"}}}}
        body = {"definition": definition, "audience": None}
        self.assertEqual(member.ask("POST", "/audiences/preview", body)["people"], 4)
