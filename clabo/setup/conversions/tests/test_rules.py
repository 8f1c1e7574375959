"""Rules over recorded hits: backwards, forwards, changed, removed, and before they are saved."""

from __future__ import annotations

import random
from collections import Counter
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any, get_args
from unittest.mock import patch
from uuid import uuid4

from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect.events.models import KIND_NAMES, TrafficClass
from clabo.core import rules
from clabo.core.pages.addresses import normalise
from clabo.platform.problems import Problem
from clabo.setup.conversions import queries, services
from clabo.setup.conversions.matching.preview import back_count
from clabo.setup.conversions.matching.seen import ACTS
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.conversions.recount import recount_all
from clabo.setup.conversions.schemas import SeenKind
from clabo.setup.live.queries import live_hits
from clabo.setup.sites.models import Site
from clabo.testing.traffic import HOST, START, beacon, event, hit, make_rule, make_site, receive, walk

PATHS = ["/a", "/a/b", "/thank-you", "/thank-you-to-all", "/A"]
RULES = [
    ("equals", "/thank-you"),
    ("equals", "shop.example/a"),
    ("begins", "/a"),
    ("begins", "/a/"),
    ("contains", "thank"),
    ("pattern", r"/a/?.*b$"),
]


def content(address: str = "/thank-you", match: str = "equals", **changes: Any) -> services.RuleContent:
    fields: dict[str, Any] = {
        "name": "order",
        "category": "purchase",
        "counting": "every",
        "value": Decimal(59),
    }
    fields |= changes
    return services.RuleContent(rule={"page": {"match": match, "value": address}}, **fields)


def recount() -> None:
    recount_all()


class OverEverybody(HypothesisTestCase):
    @settings(max_examples=18, deadline=None)
    @given(
        st.lists(
            st.tuples(st.integers(1, 3), st.integers(0, 400), st.sampled_from(PATHS)), min_size=1, max_size=14
        ),
        st.sampled_from(RULES),
        st.sampled_from(rules.COUNTINGS),
        st.booleans(),
    )
    def test_the_database_counts_what_the_core_counts(
        self, hits: list[tuple[int, int, str]], rule: tuple[str, str], mode: Any, rule_first: bool
    ) -> None:
        """One visitor's timeline in the core against everybody's events in the database."""
        site = make_site()
        match, value = rule
        made = make_rule(site, value, match=match, counting=mode) if rule_first else None
        # A minute apart at least, so that the order is the times'.
        hits = [
            (visitor, minutes * 15 + place, path)
            for place, (visitor, minutes, path) in enumerate(sorted(hits))
        ]
        for visitor, minutes, path in hits:
            receive(walk(site, visitor, START + timedelta(minutes=minutes), path))
        if made is None:
            make_rule(site, value, match=match, counting=mode)
            recount()
        language = rules.parse({"page": {"match": match, "value": value}})
        expected = Counter(self.core_counts(hits, language, mode))
        found = Counter(
            (int(c.visitor.key), round((c.time - START).total_seconds() / 60))
            for c in Conversion.objects.filter(site=site).select_related("visitor")
        )
        self.assertEqual(found, expected)
        self.assertEqual(Credit.objects.filter(site=site, model="last").count(), sum(expected.values()))

    def core_counts(
        self, hits: list[tuple[int, int, str]], language: Any, mode: Any
    ) -> list[tuple[int, int]]:
        class Seen:
            order = ""

            def __init__(self, visitor: int, visit: int, minutes: int) -> None:
                self.visitor, self.visit, self.minutes = visitor, visit, minutes

        candidates, visit, before = [], 0, {}
        for visitor, minutes, path in sorted(hits, key=lambda h: h[1]):
            if visitor not in before or minutes - before[visitor][0] > 30:
                visit += 1
                before[visitor] = (minutes, visit)
            before[visitor] = (minutes, before[visitor][1])
            if language.page.fits(normalise(f"https://{HOST}{path}")):
                candidates.append(Seen(visitor, before[visitor][1], minutes))
        return [(c.visitor, c.minutes) for c in rules.count(candidates, mode)]


class Changing(TestCase):
    def setUp(self) -> None:
        self.site: Site = make_site()
        receive(
            walk(self.site, 1, START, "/a", "/thank-you") + walk(self.site, 2, START, "/thank-you-to-all")
        )

    def test_a_new_rule_counts_the_past_and_what_follows(self) -> None:
        rule = services.make_rule(self.site, content(), None)
        self.assertFalse(Conversion.objects.exists())
        recount()
        self.assertEqual(Conversion.objects.get().value, Decimal(59))
        receive(walk(self.site, 3, START + timedelta(hours=2), "/thank-you"))
        self.assertEqual(Conversion.objects.count(), 2)
        rule.refresh_from_db()
        self.assertEqual(rule.counted_version, rule.version)

    def test_a_change_keeps_the_old_version_readable_and_restorable(self) -> None:
        rule = services.make_rule(self.site, content(), None)
        recount()
        services.change_rule(rule, content("thank-you", "contains", value=Decimal(5)), None)
        self.assertEqual(Conversion.objects.count(), 1)  # until it has been recounted
        recount()
        self.assertEqual(list(Conversion.objects.values_list("value", flat=True)), [Decimal(5)] * 2)
        first = rule.versions.get(version=1).content
        self.assertEqual((first["rule"]["page"]["match"], first["value"]), ("equals", "59"))
        again = services.restore_version(rule, 1, None)
        recount()
        self.assertEqual(list(Conversion.objects.values_list("value", flat=True)), [Decimal(59)])
        self.assertEqual((again.version, again.rule), (3, first["rule"]))
        with self.assertRaises(Problem):
            services.restore_version(rule, 4, None)

    def test_removing_can_be_undone(self) -> None:
        rule = services.make_rule(self.site, content(), None)
        recount()
        services.remove_rule(rule)
        recount()
        self.assertFalse(Conversion.objects.exists() or Credit.objects.exists())
        services.restore_rule(rule)
        recount()
        self.assertEqual(Conversion.objects.count(), 1)
        services.remove_rule(rule)
        services.make_rule(self.site, content("/a"), None)
        with self.assertRaises(Problem) as caught:
            services.restore_rule(rule)
        self.assertEqual(caught.exception.field, "name")

    def test_errors_name_the_field(self) -> None:
        services.make_rule(self.site, content(), None)
        for changes, field in (
            ({"name": "My Order"}, "name"),
            ({"name": "order"}, "name"),
            ({"category": "sale"}, "category"),
            ({"counting": "twice"}, "counting"),
            ({"value": Decimal(-1)}, "value"),
            ({"value": Decimal("NaN")}, "value"),
            ({"match": "pattern", "value_": "(("}, "value"),
            ({"lifetime_factor": Decimal(0)}, "lifetime_factor"),
            ({"lifetime_factor": Decimal(2), "value": None}, "lifetime_factor"),
            ({"value_property": "price"}, "value_property"),
            ({"value_property": "p" * 61, "value": None}, "value_property"),
        ):
            address = changes.pop("value_", "/thank-you")
            with self.assertRaises(Problem, msg=field) as caught:
                services.make_rule(self.site, content(str(address), **{"name": "other", **changes}), None)
            self.assertEqual(caught.exception.field, field)
        self.assertEqual(ConversionRule.objects.count(), 1)


class BeforeSaving(TestCase):
    def test_what_it_catches_and_nearly_catches(self) -> None:
        site = make_site()
        now = datetime.now(UTC) - timedelta(hours=1)
        receive(
            walk(site, 1, now, "/a", "/thank-you?paid=1", "/thank-you", step=5)
            + walk(site, 2, now, "/a", "/thank-you", step=5)
            + walk(site, 3, now, "/journal/thank-you-to-all")
        )
        rule = rules.parse({"page": {"match": "equals", "value": "/thank-you"}})
        found = back_count(site, rule, "visit")
        self.assertEqual((found.events, found.conversions, sum(found.per_day)), (3, 2, 2))
        self.assertEqual(
            [(str(c.page), c.events, c.visits, c.begun) for c in found.caught],
            [("shop.example/thank-you", 3, 2, 0)],
        )
        self.assertEqual(
            [(n.place.page.path, n.place.events) for n in found.near], [("/journal/thank-you-to-all", 1)]
        )
        self.assertFalse(Conversion.objects.exists())

    def test_live_names_the_rules_met_and_repetitions(self) -> None:
        site = make_site()
        make_rule(site, "/thank-you", counting="visit")
        receive(walk(site, 1, datetime.now(UTC) - timedelta(minutes=5), "/a", "/thank-you", "/thank-you"))
        hits = live_hits(site)
        met = queries.rules_met(site, hits)
        self.assertEqual(
            [[(m.name, m.counted) for m in met.get(h.id, [])] for h in hits],
            [[("order", False)], [("order", True)], []],
        )

    def test_a_rule_that_takes_in_nearly_everything_is_estimated_and_says_so(self) -> None:
        site = make_site()
        now = datetime.now(UTC) - timedelta(hours=1)
        receive([h for visitor in range(1, 241) for h in walk(site, visitor, now, "/a", "/b", step=5)])
        rule = rules.parse({"page": {"match": "begins", "value": "/"}})
        exact = back_count(site, rule, "visitor")
        self.assertEqual((exact.one_in, exact.events, exact.conversions), (1, 480, 240))
        with patch("clabo.setup.conversions.matching.preview.ALL_UP_TO", 120):
            found = back_count(site, rule, "visitor")
        self.assertEqual((found.one_in, found.events, found.conversions), (5, 480, 240))
        with patch("clabo.setup.conversions.matching.preview.TOO_MANY", 120):
            self.assertEqual(back_count(site, rule, "every").one_in, 8, "more than was foreseen")

    def test_a_visit_that_converted_just_before_the_period_does_not_again(self) -> None:
        site = make_site()
        today = datetime.now(UTC).astimezone(site.zone).date()
        midnight = datetime.combine(today - timedelta(days=6), datetime.min.time(), site.zone).astimezone(UTC)
        for minutes, order in ((-5, "n-1"), (5, "n-2")):
            mark = event("/a", kind="mark", name="order", properties={"order": order})
            receive([hit(site, midnight + timedelta(minutes=minutes), beacon(1, mark))])
        rule = rules.parse({"event": {"name": "order"}})
        counted = {mode: back_count(site, rule, mode, days=7).conversions for mode in rules.COUNTINGS}
        self.assertEqual(counted, {"every": 1, "visit": 0, "visitor": 0})

    def test_what_was_foreseen_is_what_is_counted_once_saved(self) -> None:
        """Repeated order numbers, visitors from before the period and own visits included."""
        chance = random.Random(11)
        site = make_site()
        now = datetime.now(UTC) - timedelta(hours=1)
        hits = []
        for minutes in sorted(chance.sample(range(14 * 1440), 120), reverse=True):
            order = {"order": f"n-{chance.randrange(60)}"} if chance.random() < 0.7 else {}
            mark = event("/a", kind="mark", name="order", properties=order)
            own = {"own": True} if chance.random() < 0.2 else {}
            body = beacon(chance.randrange(1, 25), mark, **own)
            hits.append(hit(site, now - timedelta(minutes=minutes), body))
        receive(hits)
        language = {"event": {"name": "order"}}
        first = datetime.now(UTC).astimezone(site.zone).date() - timedelta(days=6)
        for mode in rules.COUNTINGS:
            found = back_count(site, rules.parse(language), mode, days=7)
            made = services.make_rule(site, services.RuleContent(mode, "other", language, mode, None), None)
            recount()
            kept = Counter(
                t.astimezone(site.zone).date()
                for t in Conversion.objects.filter(
                    rule=made, visit__traffic_class=TrafficClass.COUNTED
                ).values_list("time", flat=True)
            )
            expected = [kept[first + timedelta(days=i)] for i in range(7)]
            self.assertEqual((found.first_day, found.per_day), (first, expected), mode)
            self.assertEqual(queries.recent_counts(site, [made], 7)[made.pk].per_day, expected, mode)
            self.assertGreater(sum(kept.values()), sum(expected))

    def test_the_list_says_nothing_of_own_visits(self) -> None:
        site = make_site()
        rule = ConversionRule.objects.create(
            site=site,
            name="order",
            counting="every",
            rule={"event": {"name": "order"}},
            value_property="value",
        )
        now = datetime.now(UTC) - timedelta(hours=1)
        in_francs = event("/a", kind="mark", name="order", properties={"value": 5, "currency": "CHF"})
        receive([hit(site, now, beacon(1, in_francs))])
        own = {**in_francs, "id": uuid4().hex}
        receive([hit(site, now + timedelta(minutes=9), beacon(2, own, own=True))])
        told = queries.recent_counts(site, [rule])[rule.pk]
        self.assertEqual((told.recent, told.foreign), (1, 1))
        assert told.last_at
        self.assertLess(told.last_at, now + timedelta(minutes=1))

    def test_the_change_that_was_foreseen_is_the_one_that_saving_makes(self) -> None:
        chance = random.Random(5)
        site = make_site()
        now = datetime.now(UTC) - timedelta(hours=1)
        hits = []
        for visitor in range(1, 60):
            paths = chance.choices(["/thank-you", "/thank-you-to-all", "/a"], k=chance.randrange(1, 5))
            hits += walk(site, visitor, now - timedelta(days=chance.randrange(20)), *paths, step=40)
        receive(hits)
        rule = services.make_rule(site, content(), None)
        steps = (
            ("contains", "thank", "every"),
            ("contains", "thank", "visit"),
            ("equals", "/thank-you-to-all", "visit"),
            ("equals", "/nowhere", "visitor"),
        )
        for match, address, mode in steps:
            new = content(address, match, counting=mode)
            language = rules.parse(new.rule)
            self.assertIsNone(back_count(site, language, mode, 28, rule).change, "not counted yet")
            recount()
            rule.refresh_from_db()
            foreseen = back_count(site, language, mode, 28, rule).change
            rule = services.change_rule(rule, new, None)
            recount()
            made = rule.versions.get(version=rule.version)
            self.assertEqual(foreseen, (made.added, made.removed), (match, address, mode))
            assert foreseen
            self.assertTrue(any(foreseen))
            # The next step begins with a rule that waits to be counted.
            rule = services.change_rule(rule, content(f"/{rule.version}"), None)
            self.assertNotEqual(rule.counted_version, rule.version)
            rule = services.change_rule(rule, new, None)


class SeenKinds(TestCase):
    def test_the_api_knows_every_kind_that_is_looked_for(self) -> None:
        self.assertEqual(set(get_args(SeenKind)), {KIND_NAMES[kind] for kind in ACTS})
