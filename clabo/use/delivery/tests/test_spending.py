"""Spend read from a channel: in through the import, corrected day by day, never twice."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from decimal import Decimal

from django.db.models import Sum

from clabo.testing.jobs import run_jobs
from clabo.use.delivery import tasks
from clabo.use.delivery.models import AdChannel, SpendReading
from clabo.use.delivery.syncing import spending
from clabo.use.delivery.tests.case import DeliveryCase
from clabo.use.spend.models import SpendImport, SpendRow
from clabo.use.spend.services import undo
from practice_network import clicks

AD = clicks.Ad("bees", "keepers", "start, early", "https://shop.example/kit")


class Spending(DeliveryCase):
    def setUp(self) -> None:
        super().setUp()
        with self.network.app.state.network.store.changing() as db:
            db.execute("DELETE FROM days")
        self.today = datetime.now(UTC).date()

    def spent(self, days_ago: int, cost: str, ad: clicks.Ad = AD, shown: int = 100, n: int = 3) -> None:
        day = self.today - timedelta(days=days_ago)
        with self.network.app.state.network.store.changing() as db:
            clicks.show(db, ad, day, shown, n, Decimal(cost))

    def here(self) -> dict[date, Decimal]:
        rows = SpendRow.objects.filter(site=self.site, source="practice")
        return dict(rows.values_list("day").annotate(Sum("cost")))

    def test_each_morning_the_last_days_anew(self) -> None:
        for days_ago, cost in ((0, "9"), (1, "1.25"), (2, "2.5"), (3, "4"), (4, "8")):
            self.spent(days_ago, cost)
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        day = [self.today - timedelta(days=n) for n in range(5)]
        self.assertEqual(self.here(), {day[1]: Decimal("1.25"), day[2]: Decimal("2.5"), day[3]: Decimal(4)})
        row = SpendRow.objects.get(day=day[1])
        self.assertEqual(
            (row.campaign, row.ad_group, row.ad, row.clicks), ("bees", "keepers", "start, early", 3)
        )
        # The ad side corrects a day, and is read again: that day alone is replaced.
        before = set(SpendImport.objects.values_list("pk", flat=True))
        self.spent(2, "0.5")
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        self.assertEqual(self.here()[day[2]], Decimal(3))
        self.assertEqual(sum(self.here().values()), Decimal("8.25"))
        self.assertEqual(len(set(SpendImport.objects.values_list("pk", flat=True)) - before), 1)

    def test_it_is_due_once_in_the_sites_morning(self) -> None:
        tasks.spends.now()
        jobs = AdChannel.objects.get().spend_read_at
        self.assertIsNone(jobs)
        if datetime.now(UTC).hour >= tasks.SPEND_HOUR:
            run_jobs()
            read = AdChannel.objects.get().spend_read_at
            self.assertIsNotNone(read)
            tasks.spends.now()
            run_jobs()
            self.assertEqual(AdChannel.objects.get().spend_read_at, read)

    def test_what_somebody_has_undone_stays_so_until_somebody_asks(self) -> None:
        self.spent(1, "3")
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        undo(SpendImport.objects.get())
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        self.assertEqual(self.here(), {})
        asked = {"first": str(self.today - timedelta(days=30)), "last": str(self.today)}
        read = self.member.ask("POST", f"/channels/{self.channel.pk}/spend", asked)
        self.assertEqual((read["days"], read["rows"]), (1, 1))
        self.assertEqual(sum(self.here().values()), Decimal(3))
        again = self.member.ask("POST", f"/channels/{self.channel.pk}/spend", asked)
        self.assertEqual((again["days"], again["unchanged"]), (0, 1))
        # A day that the channel says nothing of any more.
        with self.network.app.state.network.store.changing() as db:
            db.execute("DELETE FROM days")
        spending.read_spend(self.channel, self.today - timedelta(days=3), self.today)
        self.assertEqual(self.here(), {})
        self.assertEqual(SpendReading.objects.get().batch, None)

    def test_what_came_as_a_file_is_not_counted_twice(self) -> None:
        self.spent(1, "3")
        tasks.spend.now(site_id=self.site.pk, channel_id=self.channel.pk)
        # The reading is lost, its rows are there: as if somebody had taken in the same by hand.
        SpendReading.objects.all().delete()
        self.spent(1, "1")
        asked = {"first": str(self.today - timedelta(days=1)), "last": str(self.today)}
        said = self.member.ask("POST", f"/channels/{self.channel.pk}/spend", asked, status=422)
        self.assertIn("was imported before, from Practice", said["detail"])
        self.assertEqual(sum(self.here().values()), Decimal(3))

    def test_another_currency_and_days_that_cannot_be(self) -> None:
        self.spent(1, "3")
        self.site.currency = "USD"
        self.site.save()
        asked = {"first": str(self.today - timedelta(days=3)), "last": str(self.today)}
        said = self.member.ask("POST", f"/channels/{self.channel.pk}/spend", asked, status=409)
        self.assertEqual(said["detail"], "It counts in EUR, and this site in USD. Nothing was taken in.")
        asked["first"] = str(self.today + timedelta(days=1))
        self.assertEqual(
            self.member.ask("POST", f"/channels/{self.channel.pk}/spend", asked, status=422)["field"], "last"
        )
