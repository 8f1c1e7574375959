"""Made-up pages, sources and visitors beyond what can be told apart are counted, under one name."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.events.intake import allowance, busy
from clabo.collect.events.intake.inventory import CROWD_PATH, CROWD_SOURCE
from clabo.collect.events.intake.room import make_room
from clabo.collect.events.models import (
    Element,
    Event,
    EventName,
    Origin,
    Page,
    TrafficClass,
    TrafficDay,
    Visit,
    Visitor,
)
from clabo.collect.events.storage import restitching
from clabo.collect.ingest.models import Refusal
from clabo.setup.conversions.models import Conversion
from clabo.setup.monitoring import excluding
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, receive
from clabo.use.links.models import AdLink
from clabo.use.spend.models import SpendImport, SpendRow


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


class Room(TestCase):
    """What strangers make up leaves room for what is real."""

    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        self.now = datetime.now(UTC) - timedelta(hours=2)

    def send(self, *events: dict[str, Any], ago: int = 0, visitor: int = 1, network: str = "") -> None:
        envelope = hit(self.site, self.now - timedelta(days=ago), beacon(visitor, *events))
        envelope.network = network
        receive([envelope])

    def paths(self) -> set[str]:
        return set(Page.objects.filter(crowd=False).values_list("path", flat=True))

    def test_what_was_seen_once_long_ago_makes_room(self) -> None:
        with patch.dict(allowance.MOST, pages=3, origins=3, names=2, elements=2):
            form = {"element": {"id": "f0"}}
            self.send(
                event("/old?utm_source=a&utm_medium=cpc", age=1000),
                event("/old", kind="form", **form),
                ago=40,
            )
            self.send(event("/old", kind="mark", name="old"), ago=40)
            self.send(
                event("/twice?utm_source=b&utm_medium=cpc", age=1000), event("/twice"), ago=40, visitor=2
            )
            self.send(
                event("/new?utm_source=c&utm_medium=cpc"), event("/new", kind="mark", name="new"), visitor=3
            )
            self.send(
                event("/more?utm_source=d&utm_medium=cpc"),
                event("/more", kind="mark", name="more"),
                visitor=4,
            )
            self.assertEqual(self.paths(), {"/old", "/twice", "/new"})
            make_room(self.site)
            spare = {
                m.__name__: m.objects.filter(spare=True).count() for m in (Page, Origin, Element, EventName)
            }
            self.assertEqual(spare, {"Page": 2, "Origin": 3, "Element": 1, "EventName": 1})
            self.send(
                event("/more?utm_source=d&utm_medium=cpc"),
                event("/more", kind="mark", name="more"),
                visitor=5,
            )
        self.assertEqual(self.paths(), {"/old", "/twice", "/new", "/more"})
        self.assertEqual(
            set(Origin.objects.values_list("source", flat=True)) - {CROWD_SOURCE}, {"a", "b", "c", "d"}
        )
        self.assertEqual(set(EventName.objects.values_list("name", flat=True)), {"old", "new", "more"})
        # And no more than so many times as many, ever.
        with patch.dict(allowance.MOST, pages=2), patch.object(allowance, "MOST_EVER", 2):
            Page.objects.update(spare=True)
            self.send(event("/other"), visitor=6)
        self.assertNotIn("/other", self.paths())

    def test_what_is_set_aside_makes_room(self) -> None:
        with patch.dict(allowance.MOST, pages=3, elements=3):
            for n in range(3):
                form = event(f"/made-up{n}", kind="form", element={"id": f"made-up-{n}"})
                self.send(event(f"/made-up{n}"), form, visitor=n + 1, network="e" * 16)
            excluding.exclude(self.site, "network", None, network="e" * 16)
            while excluding.apply_next(self.site.pk):
                pass
            make_room(self.site)
            form = event("/kit", kind="form", element={"id": "order"})
            self.send(event("/kit"), form, visitor=9)
        self.assertIn("/kit", self.paths())
        self.assertEqual(Element.objects.latest("id").traits["id"], "order")

    def test_what_somebody_waits_for_is_told_apart_all_the_same(self) -> None:
        rule = {"any": [{"form": {"id": "order"}}, {"event": {"name": "kit_order"}}]}
        made = make_rule(self.site, "/thanks", name="orders", rule=rule)
        AdLink.objects.create(
            site=self.site,
            host="shop.example",
            path="/landing",
            source="Meadow",
            campaign="May",
            fingerprint="x",
        )
        SpendRow.objects.create(
            site=self.site, batch=SpendImport.objects.create(site=self.site, state="done"), day=self.now.date(),
            source="dale", campaign="June", ad_group="g", ad="a", impressions=1, clicks=1, cost=1, fingerprint="y",
        )  # fmt: skip
        full = dict.fromkeys(("pages", "origins", "names", "elements"), 0)
        with patch.dict(allowance.MOST, full):
            for query in (
                "utm_source=meadow&utm_campaign=may",
                "utm_source=dale&utm_campaign=June&utm_term=g&utm_content=a",
            ):
                self.send(event(f"/landing?utm_medium=cpc&{query}"), visitor=len(query))
            self.send(event("/x?utm_source=other&utm_medium=cpc&utm_campaign=may"), visitor=2)
            for form in ("order", "made-up"):
                self.send(event("/x", kind="form", element={"id": form}), visitor=3)
            for name in ("kit_order", "made-up"):
                self.send(event("/x", kind="mark", name=name), visitor=4)
        self.assertEqual(self.paths(), {"/landing", "/x"} & self.paths() | {"/landing"})
        named = set(Origin.objects.values_list("source", flat=True))
        self.assertTrue({"meadow", "dale"} <= named, named)
        self.assertNotIn("other", named)
        self.assertEqual(set(EventName.objects.values_list("name", flat=True)), {"kit_order"})
        self.assertEqual([e.traits.get("id") for e in Element.objects.order_by("id")], ["order", None])
        self.assertEqual(Conversion.objects.filter(rule=made).count(), 2)

    def test_a_network_brings_so_many_forms_and_names_a_day(self) -> None:
        with patch.dict(allowance.FROM_NETWORK, elements=2, names=2):
            for n in range(5):
                form = event("/x", kind="form", element={"id": f"f{n}"})
                self.send(form, event("/x", kind="mark", name=f"n{n}"), visitor=n + 1, network="b" * 16)
            self.send(event("/x", kind="mark", name="n9"), visitor=9, network="c" * 16)
        self.assertEqual(set(EventName.objects.values_list("name", flat=True)), {"n0", "n1", "n9"})
        self.assertEqual(Element.objects.exclude(fingerprint="").count(), 2)
        told = Refusal.objects.filter(site=self.site, reason__in=("folded_elements", "folded_names"))
        self.assertEqual(
            sorted(told.values_list("reason", "count")), [("folded_elements", 3), ("folded_names", 3)]
        )
