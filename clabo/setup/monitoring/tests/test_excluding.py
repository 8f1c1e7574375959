"""What is set aside stands in no report; put back, everything is as if it had never been."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.test import TestCase

from clabo.collect.events.models import Exclusion, TrafficClass, Visit, Visitor
from clabo.collect.ingest.gate import network_of
from clabo.collect.pipeline.tests.test_runner import picture, running_test
from clabo.judge.splits.models import Exposure
from clabo.platform.problems import Problem
from clabo.setup.conversions.models import Conversion, Credit
from clabo.setup.monitoring import excluding
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, receive

BAD, GOOD = "b" * 16, "a" * 16


class Excluding(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        make_rule(self.site, "/thank-you")
        make_rule(self.site, "/x", name="mark")
        running_test(self.site)

    def visit(self, visitor: int, minutes: int, network: str) -> list[Any]:
        at = START + timedelta(minutes=minutes)
        envelopes = [
            hit(self.site, at, beacon(visitor, event("/a", variants={"a1b2c3d4": letter}))) for letter in "AB"
        ]
        envelopes.append(hit(self.site, at + timedelta(minutes=1), beacon(visitor, event("/thank-you"))))
        for envelope in envelopes:
            envelope.network = network
        return envelopes

    def apply(self) -> None:
        while excluding.apply_next(self.site.pk):
            pass

    def exclude(self, **what: Any) -> Exclusion:
        made = excluding.exclude(self.site, by=None, **what)
        self.apply()
        made.refresh_from_db()
        return made

    def test_a_network_a_visitor_and_a_period_and_back_again(self) -> None:
        receive([*self.visit(1, 20, GOOD), *self.visit(2, 30, BAD), *self.visit(3, 200, GOOD)])
        before = picture(self.site)
        two = Visitor.objects.get(key__endswith="000000000002")
        period = {"from_at": START + timedelta(minutes=25), "until_at": START + timedelta(minutes=40)}
        without_two = None
        for what in (
            {"what": "network", "network": BAD},
            {"what": "visitor", "visitor_id": two.pk},
            {"what": "period", **period},
        ):
            made = self.exclude(**what)
            self.assertEqual(made.visits, 1, what)
            self.assertEqual(Visit.objects.get(traffic_class=TrafficClass.ASIDE).visitor, two)
            self.assertEqual(Conversion.objects.reported().count(), 2)
            self.assertEqual(Credit.objects.filter(model="last").count(), 2)
            self.assertFalse(Exposure.objects.filter(visitor=two).exists())
            now = picture(self.site)
            self.assertNotEqual(now["traffic"], before["traffic"])
            without_two = without_two or now
            # In three ways the same.
            self.assertEqual(now, without_two)
            excluding.undo(self.site, made.pk)
            self.apply()
            self.assertEqual(picture(self.site), before)

    def test_what_comes_later_from_there_is_left_out_at_once(self) -> None:
        self.exclude(what="network", network=BAD)
        receive(self.visit(2, 30, BAD))
        self.assertEqual(Visit.objects.get().traffic_class, TrafficClass.ASIDE)
        self.assertFalse(Conversion.objects.reported().exists())

    def test_two_that_overlap_are_undone_one_by_one(self) -> None:
        receive(self.visit(2, 30, BAD))
        visitor = Visitor.objects.get()
        first = self.exclude(what="network", network=BAD)
        second = self.exclude(what="visitor", visitor_id=visitor.pk)
        excluding.undo(self.site, first.pk)
        self.apply()
        self.assertEqual(Visit.objects.get().traffic_class, TrafficClass.ASIDE)
        excluding.undo(self.site, second.pk)
        self.apply()
        self.assertEqual(Visit.objects.get().traffic_class, TrafficClass.COUNTED)

    def test_in_slices(self) -> None:
        receive([e for v in range(9) for e in self.visit(v, 20 + 40 * v, BAD)])
        excluding.exclude(self.site, "network", None, BAD)
        from unittest.mock import patch

        with patch.object(excluding, "SLICE", 2):
            self.apply()
        self.assertEqual(Visit.objects.filter(traffic_class=TrafficClass.ASIDE).count(), 9)
        self.assertFalse(Conversion.objects.reported().exists())

    def test_what_cannot_be_meant(self) -> None:
        for what, field in (
            ({"what": "planet"}, "what"),
            ({"what": "network"}, "network"),
            ({"what": "period", "from_at": START}, "until_at"),
            ({"what": "period", "from_at": START, "until_at": START}, "until_at"),
        ):
            with self.assertRaises(Problem) as caught:
                excluding.exclude(self.site, by=None, **what)
            self.assertEqual(caught.exception.field, field)
        with self.assertRaises(Problem):
            excluding.exclude(self.site, "visitor", None, visitor_id=10**9)


class Networks(TestCase):
    def test_alike_within_a_network_and_a_site_only(self) -> None:
        def of(address: str, site: int = 1) -> str:
            return network_of(address, b"secret", site)

        self.assertEqual(of("93.184.216.34"), of("93.184.216.99"))
        self.assertEqual(of("93.184.216.34"), of("::ffff:93.184.216.34"))
        self.assertNotEqual(of("93.184.216.34"), of("93.184.217.34"))
        self.assertNotEqual(of("93.184.216.34"), of("93.184.216.34", 2))
        self.assertEqual(of("2a00:1450:4001::1"), of("2a00:1450:4001:ffff::9"))
        for nobody in ("127.0.0.1", "10.0.0.1", "", "x", "fe80::1%eth0"):
            self.assertEqual(of(nobody), "")
