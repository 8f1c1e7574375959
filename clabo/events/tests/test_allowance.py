"""Made-up pages, sources and visitors beyond what can be told apart are counted, under one name."""

from __future__ import annotations

from datetime import timedelta
from unittest.mock import patch

from django.test import TestCase

from clabo.events import allowance
from clabo.events.inventory import CROWD_PATH, CROWD_SOURCE
from clabo.events.models import Event, Origin, Page, TrafficDay, Visitor
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
