"""The rule language: what it reads, what it means, and how it explains itself."""

from __future__ import annotations

import json
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core import rules
from clabo.core.money.conversion_value import value_of_event
from clabo.core.pages.addresses import Address, canonical_query
from clabo.core.pages.visits import is_interaction
from clabo.core.rules import Occurrence, RuleError, as_json, checks, meets, misses, naming, parse
from clabo.core.rules.rule_warnings import Caught, suspicions
from clabo.core.tests.strategies import EVENTS, RULES
from clabo.platform.wording import say
from clabo.platform.wording.rules.language import sentence, why_not

PAGE = Address("shop.example", "/thank-you/kit")


def occurrence(kind: Any = "view", page: Address = PAGE, **more: Any) -> Occurrence:
    return Occurrence(kind, page, **more)


def made(what: dict[str, Any]) -> Occurrence:
    """An occurrence from what a beacon says."""
    properties = dict(what.get("properties", {}))
    if "reached" in what:
        properties["reached"] = what["reached"]
    return occurrence(
        what["kind"], element=what.get("element", {}), name=what.get("name", ""), properties=properties
    )


class Pages(TestCase):
    def test_the_four_ways_to_match(self) -> None:
        fits = {
            ("equals", "/thank-you/kit"): True,
            ("equals", "https://shop.example/thank-you/kit/?utm_source=x"): True,
            ("equals", "/thank-you"): False,
            ("equals", "other.example/thank-you/kit"): False,
            ("begins", "/thank-you/"): True,
            ("begins", "/thank-you/kit/"): False,
            ("begins", "shop.example/thank"): True,
            ("contains", "you/k"): True,
            ("contains", "thanks"): False,
            ("pattern", r"/thank-you/\w+$"): True,
            ("pattern", r"^/thank"): False,
        }
        for (match, value), expected in fits.items():
            rule = parse({"page": {"match": match, "value": value}})
            self.assertEqual(meets(rule, occurrence()), expected, (match, value))

    def test_a_runaway_pattern_ends(self) -> None:
        rule = parse({"page": {"match": "pattern", "value": "(a+)+$"}})
        self.assertFalse(meets(rule, occurrence(page=Address("shop.example", "/" + "a" * 2000 + "!"))))

    def test_parameters_are_told_apart_exactly(self) -> None:
        here = {"on": {"match": "begins", "value": "/"}}
        for url, name, value, expected in (
            ("?step=2", "step", "2", True),
            ("?a=1&step=2&b=3", "step", "", True),
            ("?step=22", "step", "2", False),
            ("?sstep=2", "step", "2", False),
            ("?step=2%26x=1", "step", "2", False),
            ("?x=%C3%A4", "x", "ä", True),
        ):
            rule = parse(
                {
                    "all": [
                        {"page": {"match": "contains", "value": "/"}},
                        here,
                        {"parameter": {"name": name, "value": value}},
                    ]
                }
            )
            self.assertEqual(
                meets(rule, occurrence(query=canonical_query(url))), expected, (url, name, value)
            )


class Language(TestCase):
    @given(RULES)
    def test_stored_rules_read_the_same(self, language: dict[str, Any]) -> None:
        rule = parse(language)
        self.assertEqual(parse(json.loads(json.dumps(as_json(rule)))), rule)
        self.assertTrue(sentence(rule))

    @given(RULES, EVENTS)
    def test_reasons_are_given_just_where_it_is_not_met(self, language: Any, what: Any) -> None:
        rule, seen = parse(language), made(what)
        self.assertEqual(meets(rule, seen), not misses(rule, seen))
        if all(check.met for check in checks(rule, seen)):
            self.assertTrue(meets(rule, seen))

    @given(RULES, EVENTS)
    def test_not_is_the_opposite_and_all_and_any_are_each_others(self, language: Any, what: Any) -> None:
        rule, seen = parse(language), made(what)
        met = meets(rule, seen)
        self.assertEqual(meets(rules.Not(rule), seen), not met)
        self.assertEqual(meets(rules.AllOf((rule, rule)), seen), met)
        de_morgan = rules.Not(rules.AnyOf((rules.Not(rule), rules.Not(rule))))
        self.assertEqual(meets(de_morgan, seen), met)

    @given(
        st.recursive(
            st.none() | st.text(max_size=4) | st.integers() | st.sampled_from(["equals", "/a"]),
            lambda inner: (
                st.lists(inner, max_size=3)
                | st.dictionaries(
                    st.sampled_from(
                        ["page", "all", "any", "not", "form", "event", "match", "value", "where"]
                    ),
                    inner,
                    max_size=2,
                )
            ),
            max_leaves=8,
        )
    )
    def test_whatever_is_sent_is_read_or_refused(self, data: Any) -> None:
        try:
            parse(data)
        except RuleError as error:
            self.assertTrue(error.field and say(error.told))

    def test_errors_name_the_field(self) -> None:
        deep: dict[str, Any] = {"form": {}}
        for _ in range(200):
            deep = {"not": deep}
        for data, field in (
            ({}, "rule"),
            ({"page": {"match": "is", "value": "/"}}, "match"),
            ({"page": {"match": "pattern", "value": "("}}, "value"),
            ({"page": {"match": "equals", "value": "http://"}}, "value"),
            ({"page": {"match": "equals", "value": "/" + "é" * 499}}, "value"),
            ({"page": {"match": "equals", "value": "  "}}, "value"),
            ({"all": []}, "rule"),
            ({"any": [{"form": {}}, {"on": {"match": "begins", "value": "/"}}]}, "rule"),
            ({"not": {"form": {}}}, "rule"),
            ({"form": {"colour": "red"}}, "rule"),
            ({"form": {"id": 5}}, "id"),
            ({"shown": {}}, "selector"),
            ({"message": {"origin": "not an origin", "at": "type", "value": "x"}}, "origin"),
            ({"click": {"what": "door"}}, "what"),
            (
                {"event": {"name": "a", "where": [{"property": "1st", "comparison": "is", "value": 1}]}},
                "property",
            ),
            (
                {"event": {"name": "a", "where": [{"property": "v", "comparison": "above", "value": "1"}]}},
                "value",
            ),
            (
                {
                    "event": {
                        "name": "a",
                        "where": [{"property": "v", "comparison": "is", "value": float("nan")}],
                    }
                },
                "value",
            ),
            ({"seen": {"pages": True}}, "pages"),
            ({"any": [{"form": {}}] * 41}, "rule"),
            (deep, "rule"),
        ):
            with self.assertRaises(RuleError, msg=str(data)[:200]) as caught:
                parse(data)
            self.assertEqual(caught.exception.field, field, str(data)[:200])

    def test_it_reads_as_a_person_would_say_it(self) -> None:
        rule = parse(
            {
                "all": [
                    {"any": [{"form": {"id": "booking"}}, {"shown": {"text": "Thank you"}}]},
                    {"not": {"on": {"match": "begins", "value": "/staff"}}},
                ]
            }
        )
        self.assertEqual(
            sentence(rule),
            "(a form with id booking is sent, or an element appears that says “Thank you”), "
            "and not (it happens on a page whose address begins with /staff)",
        )

    def test_why_not_names_what_differs(self) -> None:
        rule = parse({"all": [{"form": {"id": "booking"}}, {"on": {"match": "begins", "value": "/thank"}}]})
        letter = occurrence("form", element={"id": "newsletter", "fields": ["email"]})
        self.assertEqual(
            [why_not(c) for c in checks(rule, letter)],
            ["the form’s id is newsletter, this asks for booking", ""],
        )
        self.assertEqual(len(misses(rule, letter)), 1)
        self.assertEqual(
            say(misses(rule, occurrence("click"))[0]), "this is a click, this asks for a form that was sent"
        )


class Messages(TestCase):
    rule = parse({"message": {"origin": "https://Forms.example:443/x", "at": "data.type", "value": "sent"}})

    def message(self, origin: str = "https://forms.example", **values: str) -> Occurrence:
        element = {"origin": origin, "keys": {"data.type": "text"}, "values": values}
        return occurrence("message", element=element)

    def test_the_origin_is_always_checked(self) -> None:
        self.assertTrue(meets(self.rule, self.message(**{"data.type": "sent"})))
        for origin in (
            "https://forms.example.evil.example",
            "http://forms.example",
            "https://forms.example:8443",
            "null",
            "",
        ):
            self.assertFalse(meets(self.rule, self.message(origin, **{"data.type": "sent"})), origin)
        self.assertFalse(meets(self.rule, self.message(**{"data.type": "resize"})))
        self.assertFalse(meets(self.rule, self.message()))


class Around(TestCase):
    def test_names(self) -> None:
        for language, expected in (
            ({"page": {"match": "equals", "value": "/order/thank-you"}}, "order_reached"),
            ({"form": {"id": "Workshop-Booking_form"}}, "workshop_booking_sent"),
            ({"click": {"what": "phone"}}, "phone_clicked"),
            ({"event": {"name": "Signup Done"}}, "signup_done"),
            ({"form": {}}, ""),
            ({"page": {"match": "pattern", "value": "x"}}, ""),
        ):
            self.assertEqual(naming.proposed(parse(language)), expected)
        for name, others, questioned in (
            ("conversion_1", [], True),
            ("thank_you_page", [], True),
            ("workshop_booking", ["guide_lead"], False),
            ("bookings_workshop", ["workshop_booking"], True),
            ("workshop_booking", ["workshop_booking"], False),
        ):
            self.assertEqual(bool(naming.doubt(name, others)), questioned, name)

    @given(RULES)
    def test_a_proposed_name_is_a_good_one(self, language: Any) -> None:
        name = naming.proposed(parse(language))
        self.assertTrue(name == "" or naming.NAME.fullmatch(name), name)

    def test_an_article_among_thank_you_pages_is_suspect(self) -> None:
        found = suspicions([Caught(400, 395, 6), Caught(60, 58, 41), Caught(9, 9, 9), Caught(90, 20, 1)])
        self.assertEqual([bool(reasons) for reasons in found], [False, True, False, True])
        self.assertIn("41 of 60 began the visit", say(found[1][0]))
        self.assertEqual(suspicions([Caught(0, 0, 0)]), [[]])
        # A rule that means pages on which people land has nothing to suspect in that.
        self.assertEqual(suspicions([Caught(400, 395, 300), Caught(60, 58, 20)]), [[], []])

    def test_what_an_event_is_worth(self) -> None:
        def worth(**properties: Any) -> tuple[str, str]:
            found = value_of_event(properties, "value", "EUR")
            return str(found.value), found.currency

        self.assertEqual(worth(value=59.9), ("59.9000", ""))
        self.assertEqual(worth(value=" 59.90 ", currency="eur"), ("59.9000", ""))
        self.assertEqual(worth(value=10.0, currency="usd"), ("10.0000", "USD"))
        self.assertEqual(worth(value=1e-7), ("None", ""))
        for nonsense in (-1.0, 1e9, float("inf"), True, "1,5", "1e5", "", None, "9" * 40):
            self.assertEqual(worth(value=nonsense)[0], "None", nonsense)

    def test_a_cookie_banner_is_no_interaction(self) -> None:
        for kind, element, expected in (
            ("click", {"what": "button"}, False),
            ("click", {"what": "phone"}, True),
            ("form", {}, True),
            ("tried", {}, False),
            ("view", {}, False),
            ("message", {}, False),
        ):
            self.assertEqual(is_interaction(kind, element), expected, kind)
