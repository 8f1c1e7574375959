"""The database and the core decide alike, whatever the rule and whatever happened."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import timedelta
from typing import Any
from uuid import UUID

from django.test import TestCase as PlainTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event, Page, TrafficClass
from clabo.core import rules
from clabo.core.pages.addresses import Address, canonical_query, normalise
from clabo.core.tests.strategies import ADDRESSES, CODE_EVENTS, EVENTS, MARKS, NAMES, RULES, TESTS
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.matching.selecting import Inventory, events_met
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.testing.traffic import HOST, START, beacon, event, hit, make_site, receive

GAP = 30


@dataclass(frozen=True)
class Counted:
    """A candidate as the core counts it."""

    id: str
    visitor: int
    visit: int
    order: str


# Who, how many minutes after the last event of anybody, where, and what.
def happenings_of(events: Any) -> Any:
    return st.lists(
        st.tuples(st.integers(1, 2), st.sampled_from([1, 5, 40]), ADDRESSES, events), min_size=1, max_size=10
    )


HAPPENINGS = happenings_of(EVENTS)
FROM_CODE = happenings_of(MARKS)

NAMES_ONLY = st.sampled_from(NAMES).map(lambda name: {"event": {"name": name}})


def told(happenings: Any) -> list[tuple[int, int, dict[str, Any], rules.Occurrence, int]]:
    """Visitor, minute, the beacon's event, the occurrence as the core should see it, and a number for the visit."""
    found = []
    minute, last, visit, views = 0, {}, {}, {}
    for visitor, wait, address, what in happenings:
        minute += wait
        if visitor not in last or minute - last[visitor] > GAP:
            visit[visitor], views[visitor] = len(found), 0
        last[visitor] = minute
        url = f"https://{HOST}{address}"
        views[visitor] += what["kind"] == "view"
        properties = dict(what.get("properties", {}))
        if "reached" in what:
            properties["reached"] = what["reached"]
        seen = rules.Occurrence(
            what["kind"],
            normalise(url),
            canonical_query(url),
            what.get("element", {}),
            what.get("name", ""),
            properties,
            views[visitor],
        )
        found.append((visitor, minute, event(address, **what), seen, visit[visitor]))
    return found


class AlikeForEveryRule(TestCase):
    @settings(max_examples=34, deadline=None)
    @given(HAPPENINGS, st.lists(RULES, min_size=1, max_size=6), st.randoms())
    def test_the_events_that_meet_it(self, happenings: Any, languages: list[Any], chance: Any) -> None:
        """Whatever order the hits arrive in; against an occurrence made from what was sent, and from what is stored."""
        site = make_site()
        sent = told(happenings)
        arriving = list(sent)
        chance.shuffle(arriving)
        for visitor, minute, body, _, _ in arriving:
            receive([hit(site, START + timedelta(minutes=minute), beacon(visitor, body))])
        stored = Event.objects.filter(site=site).select_related("page", "element")
        for language in languages:
            rule = rules.parse(language)
            expected = {UUID(hex=body["id"]) for _, _, body, seen, _ in sent if rules.meets(rule, seen)}
            self.assertEqual({e.id for e in events_met(site.pk, rule)}, expected, language)
            again = {e.id for e in stored if rules.meets(rule, occurrence(e, e.page, e.element))}
            self.assertEqual(again, expected, language)

    @settings(max_examples=30, deadline=None)
    @given(FROM_CODE, st.lists(TESTS, min_size=15, max_size=15))
    def test_comparisons_of_properties(self, happenings: Any, tests: list[Any]) -> None:
        site = make_site()
        sent = told(happenings)
        receive([hit(site, START, beacon(visitor, body)) for visitor, _, body, _, _ in sent])
        for test in tests:
            for name in NAMES:
                rule = rules.parse({"event": {"name": name, "where": [test]}})
                expected = {UUID(hex=body["id"]) for _, _, body, seen, _ in sent if rules.meets(rule, seen)}
                self.assertEqual({e.id for e in events_met(site.pk, rule)}, expected, test)

    @settings(max_examples=34, deadline=None)
    @given(
        st.one_of(HAPPENINGS, FROM_CODE),
        st.one_of(RULES, CODE_EVENTS, NAMES_ONLY),
        st.sampled_from(rules.COUNTINGS),
        st.lists(st.sampled_from(["", "", "A-1", "A-2"]), min_size=10, max_size=10),
        st.booleans(),
        st.randoms(),
    )
    def test_the_conversions(
        self, happenings: Any, language: Any, mode: Any, orders: list[str], shuffled: bool, chance: Any
    ) -> None:
        """Counted batch by batch as hits arrive, an order number only once, whoever sends it."""
        site = make_site()
        ConversionRule.objects.create(site=site, name="it", category="lead", rule=language, counting=mode)
        sent = told(happenings)
        expected = []
        for (visitor, _, body, seen, visit), order in zip(sent, orders, strict=False):
            if body["kind"] == "mark" and order:
                body["properties"] = {**body["properties"], "order": order}
            if rules.meets(rules.parse(language), seen):
                expected.append(
                    Counted(body["id"], visitor, visit, body.get("properties", {}).get("order", ""))
                )
        arriving = list(sent)
        if shuffled:
            chance.shuffle(arriving)
        for visitor, minute, body, _, _ in arriving:
            receive([hit(site, START + timedelta(minutes=minute), beacon(visitor, body))])
        found = {c.event_id.hex for c in Conversion.objects.filter(site=site)}
        self.assertEqual(found, {c.id for c in rules.count(expected, mode)})


class Addresses(PlainTestCase):
    def test_the_database_leaves_no_page_out_that_fits(self) -> None:
        """Signs that mean something in a LIKE or a pattern, other hosts, other letters."""
        site = make_site()
        paths = [
            "/",
            "/50%",
            "/50x",
            "/a_b",
            "/aXb",
            "/a\\b",
            "/a'b",
            "/Übung",
            "/übung",
            "/a/b",
            "/A/b",
            "/a/b?x=1",
        ]
        hosts = [HOST, "a_b.example", "aXb.example"]
        pages = Page.objects.bulk_create(
            Page(site=site, host=host, path=path, first_at=START, last_at=START)
            for host in hosts
            for path in paths
        )
        for match in ("equals", "begins", "contains"):
            for value in [*paths, *hosts, "a_b.example/a_b", "shop.example/50%", "b", "%", "_", "\\", "e/a"]:
                # As it stands, whatever the language would make of it.
                asked = rules.PageFits(match, value)
                expected = {p.pk for p in pages if asked.fits(Address(p.host, p.path))}
                self.assertEqual(set(Inventory(site.pk).pages_met(asked)), expected, asked)


class OrderNumbers(PlainTestCase):
    def test_what_no_report_shows_takes_nothing_away(self) -> None:
        """A trial by the site's own people, with an order number that a customer gets as well."""
        site = make_site()
        for mode in rules.COUNTINGS:
            ConversionRule.objects.create(
                site=site, name=mode, category="purchase", rule={"event": {"name": "order"}}, counting=mode
            )

        def order(visitor: int, hour: int, number: str, **said: Any) -> None:
            body = event(kind="mark", name="order", properties={"order": number})
            receive([hit(site, START + timedelta(hours=hour), beacon(visitor, body, **said))])

        order(1, 0, "A-1", own=True)
        order(2, 1, "A-1")
        order(1, 2, "A-2")
        order(2, 3, "A-2", own=True)
        counted = Conversion.objects.filter(visit__traffic_class=TrafficClass.COUNTED)
        found = [
            (c.rule.name, int(c.visitor.key), c.order) for c in counted.select_related("rule", "visitor")
        ]
        expected = [(mode, *who) for mode in rules.COUNTINGS for who in ((1, "A-2"), (2, "A-1"))]
        self.assertEqual(sorted(found), sorted(expected))

    def test_the_first_counts_even_when_it_arrives_last(self) -> None:
        """Whoever sent it: a mail client opened twice, a confirmation page that was shared."""
        site = make_site()
        ConversionRule.objects.create(
            site=site, name="it", category="purchase", rule={"event": {"name": "order"}}, counting="every"
        )

        def order(visitor: int, minute: int, number: str | float) -> None:
            body = event(kind="mark", name="order", properties={"order": number})
            receive([hit(site, START + timedelta(minutes=minute), beacon(visitor, body))])

        def counted() -> list[tuple[int, str]]:
            found = (
                Conversion.objects.filter(site=site)
                .select_related("visitor")
                .order_by("time", "visitor__key")
            )
            return [(int(c.visitor.key), c.order) for c in found]

        order(1, 5, "A-1")
        order(2, 6, "A-1")
        order(2, 7, 17)
        self.assertEqual(counted(), [(1, "A-1"), (2, "17")])
        order(3, 1, "A-1")
        self.assertEqual(counted(), [(3, "A-1"), (2, "17")])
        order(4, 2, "17")
        order(2, 8, "A-3")
        self.assertEqual(counted(), [(3, "A-1"), (4, "17"), (2, "A-3")])
        # Settling 5 settles 4 with it; that 4 repeats an order of 6 must not be forgotten over that.
        order(6, 0, "A-9")
        order(4, 9, "A-9")
        order(5, 1, "17")
        self.assertEqual(counted(), [(6, "A-9"), (3, "A-1"), (5, "17"), (2, "A-3")])
