"""Made-up pages, sources and visitors beyond what can be told apart are counted, under one name."""

from __future__ import annotations

from datetime import timedelta
from unittest.mock import patch

from django.test import TestCase

from clabo.events import allowance, busy, restitching
from clabo.events.inventory import CROWD_PATH, CROWD_SOURCE
from clabo.events.models import Event, Origin, Page, TrafficClass, TrafficDay, Visit, Visitor
from clabo.ingest.models import Refusal
from clabo.testing.traffic import START, beacon, event, hit, make_site, receive


class Allowance(TestCase):
    def setUp(self) -> None:
        self.site = make_site()

    def send(self, paths: list[str], network: str = "", minutes: int = 0, first: int = 0) -> None:
        envelopes = []
        for number, path in enumerate(paths):
            at = START + timedelta(minutes=minutes, seconds=number)
            envelope = hit(self.site, at, beacon(first + number, event(path)))
            envelope.network = network
            envelopes.append(envelope)
        receive(envelopes)

    def told(self, reason: str) -> int:
        return sum(Refusal.objects.filter(site=self.site, reason=reason).values_list("count", flat=True))

    def test_a_sites_pages(self) -> None:
        with patch.dict(allowance.MOST, pages=5):
            self.send([f"/p{n}" for n in range(9)])
            self.send(["/p1", "/p20"], minutes=5, first=100)
        self.assertEqual(Page.objects.filter(crowd=False).count(), 5)
        crowd = Page.objects.get(crowd=True)
        self.assertEqual((crowd.path, crowd.views), (CROWD_PATH, 5))
        self.assertEqual(TrafficDay.objects.get(page=crowd).entries, 5)
        self.assertEqual((Event.objects.count(), self.told("folded_pages")), (11, 5))

    def test_a_networks_pages_leave_room_for_others(self) -> None:
        with patch.dict(allowance.FROM_NETWORK, pages=3):
            self.send([f"/x{n}" for n in range(4)], "b" * 16)
            # Of the same day, also in a later batch; and no other network pays for it.
            self.send(["/x9", "/x0"], "b" * 16, 5, 50)
            self.send(["/y1", "/y2"], "a" * 16, 9, 70)
        known = set(Page.objects.filter(crowd=False).values_list("path", flat=True))
        self.assertEqual(known, {"/x0", "/x1", "/x2", "/y1", "/y2"})
        self.assertEqual(self.told("folded_pages"), 2)

    def test_sources(self) -> None:
        with patch.dict(allowance.MOST, origins=3):
            self.send([f"/a?utm_source=s{n}&utm_medium=cpc" for n in range(6)])
        crowd = Origin.objects.get(source=CROWD_SOURCE)
        self.assertEqual((crowd.channel, Origin.objects.count()), ("paid", 4))
        self.assertEqual(sum(TrafficDay.objects.filter(origin=crowd).values_list("entries", flat=True)), 3)

    def test_new_visitors_of_one_network(self) -> None:
        with patch.dict(allowance.FROM_NETWORK, visitors=3):
            self.send(["/a"] * 10, "b" * 16)
            self.send(["/a"] * 2, "b" * 16, 60)  # the first two, known by now
            self.send(["/a"] * 4, "", 70, 100)  # of whom the network says nothing
        self.assertEqual(Visitor.objects.count(), 3 + 1 + 4)
        self.assertEqual((Event.objects.count(), self.told("folded_visitors")), (16, 7))


class Busy(TestCase):
    """One browser that does more than a person can."""

    def setUp(self) -> None:
        self.site = make_site()

    def send(self, visitor: int, events: int, minutes: int = 0, age: int = 0) -> None:
        at = START + timedelta(minutes=minutes)
        some = [event(f"/p{n % 3}", age=age + 1000 * n) for n in range(events)]
        receive([hit(self.site, at, beacon(visitor, *some))])

    def test_what_is_beyond_a_days_events_is_kept_as_robots_and_counted(self) -> None:
        with patch.object(busy, "MOST_EVENTS", 10):
            self.send(1, 7)
            self.send(2, 4)
            # Also over several batches, and late ones.
            self.send(1, 7, 5)
            self.send(1, 12, 6, 80_000_000)
            self.send(2, 4, 7)
            # The next day is another.
            self.send(1, 5, 24 * 60)
        counted = Visitor.objects.exclude(busy=0).order_by("key")
        of = {v.key.int: Event.objects.filter(visitor=v).count() for v in counted if v.key.int < 10}
        self.assertEqual(of, {1: 15, 2: 8})
        robots = Visit.objects.filter(traffic_class=TrafficClass.BOT)
        self.assertEqual(Event.objects.filter(visit__in=robots).count(), 16)
        self.assertTrue(all(Event.objects.filter(visitor=v.visitor).count() <= 10 for v in robots))
        told = Refusal.objects.filter(site=self.site, reason=busy.FOLDED).values_list("count", flat=True)
        self.assertEqual((Event.objects.count(), sum(told)), (39, 16))
        self.assertEqual(sum(TrafficDay.objects.values_list("views", flat=True)), 23)

    def test_a_late_event_costs_no_more_than_a_day_can_hold(self) -> None:
        """However much one browser sends, the visits that are stitched anew are those of few events."""
        with patch.object(busy, "MOST_EVENTS", 20):
            for turn in range(8):
                self.send(1, 20, turn, 40_000_000 * (turn % 2))
            with patch.object(restitching, "_stored", wraps=restitching._stored) as read:
                self.send(1, 1, 30, 86_000_000)
        self.assertLessEqual(max((len(c.args[2]) for c in read.call_args_list), default=0), 20)
