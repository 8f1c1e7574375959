"""Near misses of every kind of condition: told only where one condition was in the way, and with what it was."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.test import TestCase as PlainTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from clabo.collect.events.models import Event
from clabo.core import rules
from clabo.core.tests.strategies import ADDRESSES, EVENTS, RULES
from clabo.platform.wording import say_all
from clabo.setup.conversions.matching.event_places import Place
from clabo.setup.conversions.matching.near_misses import NearMiss, near_misses
from clabo.setup.conversions.matching.occurrences import occurrence
from clabo.setup.conversions.matching.selecting import Inventory
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, beacon, event, hit, make_site, receive


def near(site: Site, language: Any) -> list[NearMiss]:
    return near_misses(rules.parse(language), Event.objects.filter(site=site), Inventory(site.pk), 1)


def holds_but_for(rule: rules.Rule, part: rules.Rule, seen: rules.Occurrence) -> bool:
    """Whether the rule would hold if `part` did."""
    if rule is part:
        return True
    if isinstance(rule, rules.AllOf):
        return all(holds_but_for(each, part, seen) for each in rule.parts)
    if isinstance(rule, rules.AnyOf):
        return any(holds_but_for(each, part, seen) for each in rule.parts)
    return rules.meets(rule, seen)


def parts_of(rule: rules.Rule) -> list[rules.Rule]:
    if isinstance(rule, rules.AllOf | rules.AnyOf):
        return [each for part in rule.parts for each in parts_of(part)]
    return [rule]


class OfEveryRule(TestCase):
    @settings(max_examples=40, deadline=None)
    @given(
        st.lists(st.tuples(st.integers(1, 2), ADDRESSES, EVENTS), min_size=1, max_size=10),
        st.lists(RULES, min_size=1, max_size=2),
    )
    def test_each_would_meet_it_but_for_one_condition(self, happenings: Any, languages: list[Any]) -> None:
        site = make_site()
        receive(
            hit(site, START + timedelta(minutes=minute), beacon(visitor, event(address, **what)))
            for minute, (visitor, address, what) in enumerate(happenings)
        )
        stored = Event.objects.filter(site=site).select_related("page", "element")
        seen = [(e, occurrence(e, e.page, e.element)) for e in stored]
        for language in languages:
            rule = rules.parse(language)
            for miss in near(site, language):
                self.assertTrue(say_all(miss.reasons), language)
                there = [s for e, s in seen if at_place(e, s, miss.place) and not rules.meets(rule, s)]
                self.assertLessEqual(miss.place.events, len(there), language)
                self.assertTrue(
                    any(holds_but_for(rule, part, s) for part in parts_of(rule) for s in there),
                    (language, miss.reasons),
                )


def at_place(e: Event, seen: rules.Occurrence, place: Place) -> bool:
    element = place.element.pk if place.element else None
    return (seen.kind, e.page_id, e.element_id, e.name) == (place.kind, place.page.pk, element, place.name)


class WhatWasInTheWay(PlainTestCase):
    def setUp(self) -> None:
        self.site = make_site()

    def happened(self, *what: dict[str, Any], path: str = "/contact") -> None:
        events = [event(path, **each) for each in what]
        receive([hit(self.site, START, beacon(1, *events))])

    def told(self, language: Any) -> list[str]:
        return [say_all(miss.reasons) for miss in near(self.site, language)]

    def test_another_form_and_one_whose_success_was_not_seen(self) -> None:
        booking = {"id": "booking", "fields": ["email"]}
        self.happened(
            {"kind": "form", "element": {"id": "newsletter", "fields": ["email"]}},
            {"kind": "tried", "element": booking},
            {"kind": "form", "element": booking},
            {"kind": "form", "element": {"id": "search", "fields": ["q"]}},
        )
        found = self.told({"form": {"id": "booking", "field": "email"}})
        self.assertEqual(len(found), 2, "the search form differs in two ways")
        self.assertIn("newsletter", found[0] + found[1])
        self.assertTrue(any("no success was seen" in reason for reason in found))
        # Sent on a page that the rule leaves out.
        language = {
            "all": [
                {"form": {"id": "booking"}},
                {"not": {"on": {"match": "equals", "value": "/contact"}}},
            ]
        }
        self.assertEqual(
            [r for r in self.told(language) if r.endswith(", and must not")], self.told(language)[:1]
        )

    def test_a_property_a_click_a_message_and_a_page_too_few(self) -> None:
        self.happened(
            {"kind": "mark", "name": "order", "properties": {"value": 20}},
            {"kind": "mark", "name": "order", "properties": {"value": 90, "currency": "EUR"}},
            {"kind": "mark", "name": "refund", "properties": {"value": 90}},
            {"kind": "click", "element": {"what": "phone", "to": "tel:+00123"}},
            {
                "kind": "message",
                "element": {
                    "origin": "https://forms.example",
                    "keys": {"type": "text"},
                    "values": {"type": "resize"},
                },
            },
        )
        worth = {
            "event": {
                "name": "order",
                "where": [{"property": "value", "comparison": "at_least", "value": 50}],
            }
        }
        self.assertEqual(len(self.told(worth)), 1)
        self.assertIn("value is at least 50", self.told(worth)[0])
        self.assertEqual(len(self.told({"click": {"what": "mail"}})), 1)
        message = {"message": {"origin": "https://forms.example", "at": "type", "value": "sent"}}
        self.assertEqual(len(self.told(message)), 1)
        self.assertIn("resize", self.told(message)[0])
        # Of another origin, and saying something else: two traits differ.
        message["message"]["origin"] = "https://third.example"
        self.assertEqual(self.told(message), [])
        self.happened({"kind": "view"})
        self.assertIn("one page short of 2", self.told({"seen": {"pages": 2}}))
