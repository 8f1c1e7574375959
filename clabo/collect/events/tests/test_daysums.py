"""Sums that are kept say what the table says, whoever writes to it and however."""

from __future__ import annotations

import random
from datetime import UTC, date, datetime, timedelta
from unittest import mock

from django.db import connection, transaction
from django.db.models import Q, Sum
from django.test import TestCase

from clabo.collect.events import daysums
from clabo.collect.events.models import Origin, Page, TrafficDay, Visit
from clabo.testing.traffic import make_site, receive, walk

FIRST = date(2026, 10, 1)
DAYS = [FIRST + timedelta(days=n) for n in range(12)]


class Kept(TestCase):
    def setUp(self) -> None:
        daysums.forget()
        self.site, self.other = make_site(), make_site()
        for site in (self.site, self.other):
            receive(walk(site, 1, datetime.now(UTC), "/a"))
        self.page = {s: Page.objects.get(site=s).pk for s in (self.site, self.other)}
        self.origin = {s: Origin.objects.get(site=s).pk for s in (self.site, self.other)}
        TrafficDay.objects.all().delete()
        self.read: list[Q] = []

    def row(self, site, day: date, entries: int) -> TrafficDay:
        return TrafficDay(
            site=site,
            day=day,
            page_id=self.page[site],
            origin_id=self.origin[site],
            device=random.randint(1, 3),
            entries=entries,
        )

    def kept(self, first: date, last: date) -> dict[date, int]:
        rows = TrafficDay.objects.filter(site=self.site)

        def read(days: Q):
            self.read.append(days)
            return rows.filter(days).values_list("day").annotate(Sum("entries"))

        return dict(daysums.of_days(TrafficDay, self.site.pk, first, last, "entries", read))

    def plain(self, first: date, last: date) -> dict[date, int]:
        with connection.cursor() as cursor:
            cursor.execute(
                "SELECT day, sum(entries) FROM events_trafficday WHERE site_id = %s AND day BETWEEN %s AND %s GROUP BY day",
                [self.site.pk, first, last],
            )
            return {day: int(n) for day, n in cursor.fetchall()}

    def test_after_any_writing(self) -> None:
        chance = random.Random(20)
        for _ in range(60):
            site, day, n = chance.choice((self.site, self.other)), chance.choice(DAYS), chance.randint(1, 9)
            match chance.randint(0, 5):
                case 0 | 1:
                    TrafficDay.objects.bulk_create([self.row(site, day, n)], ignore_conflicts=True)
                case 2:
                    TrafficDay.objects.filter(site=site, day=day).update(entries=n)
                case 3:
                    TrafficDay.objects.filter(site=site, day=day).delete()
                case 4:
                    # From one day to another: both have changed.
                    free = TrafficDay.objects.filter(site=site, day=DAYS[0] - timedelta(days=n)).exists()
                    if not free:
                        some = TrafficDay.objects.filter(site=site, day=day).first()
                        TrafficDay.objects.filter(pk=some.pk if some else 0).update(
                            day=DAYS[0] - timedelta(days=n)
                        )
                case 5:
                    with connection.cursor() as cursor:
                        cursor.execute(
                            "UPDATE events_trafficday SET entries = entries + 1 WHERE day = %s", [day]
                        )
            first, last = sorted((chance.choice(DAYS), chance.choice(DAYS)))
            self.assertEqual(self.kept(first, last), self.plain(first, last))
            # What it all weighs is known without a look at all of it.
            sizes = {key: daysums._size(days.values()) for key, days in daysums._kept.items()}
            self.assertEqual(daysums._sizes, sizes)

    def test_what_rests_on_all_days_before(self) -> None:
        """Running sums, each day's of that day and all before it, are as plain ones after any writing."""
        rows = TrafficDay.objects.filter(site=self.site)

        def read(days: Q):
            self.read.append(days)
            for (day,) in rows.filter(days).values_list("day").distinct():
                yield day, rows.filter(day__lte=day).aggregate(n=Sum("entries"))["n"]

        chance = random.Random(21)
        for _ in range(60):
            day, n = chance.choice(DAYS), chance.randint(1, 9)
            match chance.randint(0, 2):
                case 0:
                    TrafficDay.objects.bulk_create([self.row(self.site, day, n)], ignore_conflicts=True)
                case 1:
                    TrafficDay.objects.filter(site=self.site, day=day).update(entries=n)
                case 2:
                    TrafficDay.objects.filter(site=self.site, day=day).delete()
            first, last = sorted((chance.choice(DAYS), chance.choice(DAYS)))
            found = daysums.of_days(TrafficDay, self.site.pk, first, last, "so far", read, back=None)
            plain: dict[date, int] = {}
            total = 0
            for each in rows.order_by("day"):
                total += each.entries
                if first <= each.day <= last:
                    plain[each.day] = total
            self.assertEqual(dict(found), plain)
        self.read.clear()
        TrafficDay.objects.bulk_create([self.row(self.site, DAYS[-1], 1)], ignore_conflicts=True)
        TrafficDay.objects.filter(day=DAYS[-1]).update(entries=77)
        daysums.of_days(TrafficDay, self.site.pk, DAYS[0], DAYS[-1], "so far", read, back=None)
        TrafficDay.objects.filter(day=DAYS[-1]).update(entries=78)
        daysums.of_days(TrafficDay, self.site.pk, DAYS[0], DAYS[-1], "so far", read, back=None)
        self.assertEqual(self.read[-1], Q(day__in=[DAYS[-1]]))

    def test_what_is_rolled_back_is_not_kept(self) -> None:
        self.row(self.site, FIRST, 3).save()
        self.assertEqual(self.kept(FIRST, FIRST), {FIRST: 3})
        try:
            with transaction.atomic():
                TrafficDay.objects.update(entries=8)
                self.assertEqual(self.kept(FIRST, FIRST), {FIRST: 8})
                raise InterruptedError
        except InterruptedError:
            pass
        self.assertEqual(self.kept(FIRST, FIRST), {FIRST: 3})

    def test_only_days_that_changed_are_read_again(self) -> None:
        TrafficDay.objects.bulk_create(self.row(self.site, day, 1) for day in DAYS)
        self.kept(DAYS[0], DAYS[-1])
        self.kept(DAYS[0], DAYS[-1])
        self.assertEqual(len(self.read), 1)
        TrafficDay.objects.filter(day=DAYS[4]).update(entries=2)
        TrafficDay.objects.filter(day=DAYS[6]).update(entries=2)
        self.kept(DAYS[0], DAYS[-1])
        self.assertEqual(self.read[1:], [Q(day__in=[DAYS[4], DAYS[6]])])

    def test_a_page_that_goes_takes_its_days_along(self) -> None:
        self.row(self.site, FIRST, 3).save()
        self.kept(FIRST, FIRST)
        Visit.objects.filter(site=self.site).delete()
        Page.objects.filter(site=self.site).delete()
        self.assertEqual(self.kept(FIRST, FIRST), self.plain(FIRST, FIRST))

    def test_the_least_asked_for_are_forgotten(self) -> None:
        TrafficDay.objects.bulk_create(self.row(self.site, day, 1) for day in DAYS)
        with mock.patch.object(daysums, "MOST_ROWS", 30):
            for name in ("a", "b", "c"):
                rows = TrafficDay.objects.filter(site=self.site)
                daysums.of_days(
                    TrafficDay,
                    self.site.pk,
                    DAYS[0],
                    DAYS[-1],
                    name,
                    lambda days, rows=rows: rows.filter(days).values_list("day").annotate(Sum("entries")),
                )
        self.assertEqual([key[3] for key in daysums._kept], ["c"])  # type: ignore[index]
