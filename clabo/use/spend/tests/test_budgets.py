"""Monthly budgets: what is spent of each, against sums of the rows; what is refused; who is told."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.test import TestCase

from clabo.core.money.pace import pace
from clabo.testing.asking import Member
from clabo.testing.traffic import make_site
from clabo.use.spend.budgets import standings
from clabo.use.spend.models import Budget, SpendImport, SpendRow

NOW = datetime(2026, 11, 19, 10, tzinfo=UTC)


class Budgets(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.member = Member(self.site)
        self.batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="", stored_as="", state="done"
        )

    def spend(self, day: date, source: str, campaign: str, cost: float) -> None:
        SpendRow.objects.create(
            **{"site": self.site, "batch": self.batch, "day": day, "source": source, "campaign": campaign},
            **{"impressions": 1, "clicks": 1, "cost": Decimal(str(cost)), "landing": ""},
            fingerprint=f"{source} {campaign} {day} {cost}"[:32],
        )

    def budget(self, amount: float, source: str = "", campaign: str = "") -> Budget:
        return Budget.objects.create(
            site=self.site, source=source, campaign=campaign, amount=Decimal(str(amount))
        )

    def test_each_is_the_sum_of_its_rows_up_to_the_day_that_all_are_known(self) -> None:
        chance = random.Random(7)
        rows = []
        for n in range(70):
            day = date(2026, 11, 18) - timedelta(days=n)
            for source, campaign in (("meadow", "autumn"), ("meadow", "hive"), ("lantern", "autumn")):
                # Lantern's last file ends two days earlier; one campaign has ended.
                if (source == "lantern" and n < 2) or (campaign == "hive" and n < 30):
                    continue
                cost = round(chance.uniform(5, 15), 2)
                rows.append((day, source, campaign, cost))
                # Files write names as they like.
                self.spend(day, source.title() if n % 3 else source, campaign, cost)
        for source, campaign, through in (
            ("", "", date(2026, 11, 16)),
            ("meadow", "", date(2026, 11, 18)),
            ("meadow", "hive", date(2026, 11, 18)),
            ("LANTERN", "", date(2026, 11, 16)),
        ):
            of = self.budget(400, source, campaign)
            found = next(s for s in standings(self.site, NOW) if s.budget == of)
            assert found.pace
            mine = [r for r in rows if source.lower() in ("", r[1]) and campaign in ("", r[2])]
            this_month = sum(c for d, _, _, c in mine if date(2026, 11, 1) <= d <= through)
            self.assertEqual(found.pace.through, through)
            self.assertAlmostEqual(found.pace.spent, this_month, 6)
            days = [through - timedelta(days=n) for n in range(55, -1, -1)]
            costs = [sum(c for d, _, _, c in mine if d == day) for day in days]
            expected = pace(costs, through, 400).expected
            assert expected and found.pace.expected
            self.assertAlmostEqual(found.pace.expected.high, expected.high, 6)

    def test_a_source_that_has_ended_holds_nothing_up(self) -> None:
        today = NOW.date()
        for n in range(1, 60):
            self.spend(today - timedelta(days=n), "meadow", "autumn", 10)
            if n > 9:
                self.spend(today - timedelta(days=n), "lantern", "autumn", 10)
        self.budget(1000)
        [found] = standings(self.site, NOW)
        assert found.pace
        self.assertEqual((found.pace.through, found.stale), (today - timedelta(days=1), False))
        self.assertEqual(standings(self.site, NOW + timedelta(days=300))[0].says, "too_early")

    def test_what_is_told_and_what_is_too_old(self) -> None:
        today = datetime.now(UTC).astimezone(self.site.zone).date()
        for n in range(1, 60):
            self.spend(today - timedelta(days=n), "meadow", "autumn", 10)
        self.budget(5)
        self.budget(100_000, "meadow")
        said = {b["source"]: b["says"] for b in self.member.ask("GET", "/budgets")["budgets"]}
        # On the first of a month nothing is spent yet; it is sure all the same.
        self.assertEqual(said, {"": "over", "meadow": "short"})
        [note] = self.member.ask("GET", "/today")["budgets"]
        self.assertEqual((note["source"], float(note["amount"])), ("", 5.0))
        SpendRow.objects.filter(day__gt=today - timedelta(days=9)).delete()
        said = {b["source"]: b["says"] for b in self.member.ask("GET", "/budgets")["budgets"]}
        self.assertEqual(said, {"": "stale", "meadow": "stale"})
        self.assertEqual(self.member.ask("GET", "/today")["budgets"], [])

    def test_set_changed_refused_deleted_and_restored(self) -> None:
        ask = self.member.ask
        self.assertEqual(ask("GET", "/budgets"), {"budgets": [], "choices": []})
        ask("POST", "/budgets", {"source": "meadow", "amount": "500.00"}, status=201)
        again = ask("POST", "/budgets", {"source": "meadow", "amount": "600"}, status=409)
        self.assertEqual(again["field"], "source")
        ask("POST", "/budgets", {"source": "Meadow", "amount": "600"}, status=409)
        for body, field in (
            ({"amount": "0"}, "amount"),
            ({"amount": "-3"}, "amount"),
            ({"campaign": "autumn", "amount": "3"}, "source"),
        ):
            self.assertEqual(ask("POST", "/budgets", body, status=422)["field"], field)
        [budget] = ask("GET", "/budgets")["budgets"]
        self.assertEqual((budget["says"], budget["expected"], budget["through"]), ("too_early", None, None))
        path = f"/budgets/{budget['id']}"
        ask("PUT", path, {"amount": "750"}, status=204)
        self.assertEqual(float(ask("GET", "/budgets")["budgets"][0]["amount"]), 750)
        ask("DELETE", path, status=204)
        ask("DELETE", path, status=404)
        [gone] = ask("GET", "/deleted")
        self.assertEqual((gone["kind"], gone["name"]), ("budget", "meadow"))
        ask("POST", f"/deleted/budget/{budget['id']}/restore", status=204)
        self.assertEqual(len(ask("GET", "/budgets")["budgets"]), 1)
