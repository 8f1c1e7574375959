"""Conditions on events from code, on how a visit went and on bridge links: read, written, met and missed."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from clabo.core import rules
from clabo.core.pages.addresses import Address
from clabo.core.rules import RuleError
from clabo.core.rules.conditions.event import read_test
from clabo.core.rules.errors import MAX_VALUE
from clabo.core.rules.occurrence import Occurrence
from clabo.platform.wording import say
from clabo.platform.wording.rules.conditions import comparison
from clabo.platform.wording.rules.language import sentence

PAGE = Address("shop.example", "/a")


def occurrence(kind: Any, **fields: Any) -> Occurrence:
    return Occurrence(kind, PAGE, **fields)


class Comparisons(TestCase):
    def test_each_against_values_of_each_type(self) -> None:
        """`is` and `is_not` by JSON's equality, the numeric ones for what a conversion's value may be stated as."""
        values: list[Any] = [
            None,
            "",
            "50",
            " 59.90",
            "5e1",
            "49,9",
            "a50b",
            49.99,
            50,
            50.0,
            50.01,
            True,
            False,
            1,
            0,
        ]
        stated = {"50": 50.0, " 59.90": 59.9}
        for value in values:
            given = {} if value is None else {"v": value}
            number = isinstance(value, int | float) and not isinstance(value, bool)
            amount = value if number else stated.get(value) if isinstance(value, str) else None
            expected: list[tuple[str, Any, bool]] = [
                ("is", 50.0, number and value == 50),
                ("is", "50", value == "50" and isinstance(value, str)),
                ("is", True, value is True),
                ("is", 1.0, number and value == 1),
                ("is", False, value is False),
                ("is_not", 50.0, not (number and value == 50)),
                ("is_not", "", value != "" or not isinstance(value, str)),
                ("contains", "50", isinstance(value, str) and "50" in value),
                ("at_least", 50.0, amount is not None and amount >= 50),
                ("at_most", 50.0, amount is not None and amount <= 50),
                ("above", 50.0, amount is not None and amount > 50),
                ("below", 50.0, amount is not None and amount < 50),
            ]
            for how, asked, met in expected:
                test = read_test({"property": "v", "comparison": how, "value": asked})
                self.assertEqual(test.met(given), met, (value, how, asked))
                self.assertEqual(read_test(test.json()), test)

    def test_readings(self) -> None:
        words = {
            "is": "is",
            "is_not": "is not",
            "at_least": "is at least",
            "at_most": "is at most",
            "above": "is above",
            "below": "is below",
        }
        for how, said in words.items():
            test = read_test({"property": "value", "comparison": how, "value": 59.9})
            self.assertEqual(comparison(test), f"value {said} 59.9")
        self.assertEqual(comparison(rules.PropertyTest("plan", "contains", "kit")), "plan contains kit")

    def test_what_cannot_be_read_names_its_field(self) -> None:
        right: dict[str, Any] = {"property": "v", "comparison": "is", "value": 1}
        self.assertEqual(read_test({**right, "value": 10**15}).value, 1e15)
        self.assertEqual(read_test({**right, "value": "x" * 300}).value, "x" * 300)
        for changes, field in (
            ({"property": ""}, "property"),
            ({"property": "1st"}, "property"),
            ({"property": "x" * 61}, "property"),
            ({"comparison": "like"}, "comparison"),
            ({"comparison": None}, "comparison"),
            ({"value": 10**15 + 1}, "value"),
            ({"value": -(10**15) - 1}, "value"),
            ({"value": float("inf")}, "value"),
            ({"value": float("nan")}, "value"),
            ({"value": None}, "value"),
            ({"value": [1]}, "value"),
            ({"value": "x" * 301}, "value"),
            ({"value": "\x00"}, "value"),
            ({"comparison": "above", "value": "1"}, "value"),
            ({"comparison": "above", "value": True}, "value"),
            ({"comparison": "contains", "value": ""}, "value"),
            ({"comparison": "contains", "value": 1}, "value"),
            ({"more": 1}, "rule"),
        ):
            with self.assertRaises(RuleError) as raised:
                read_test({**right, **changes})
            self.assertEqual(raised.exception.field, field, changes)
        with self.assertRaises(RuleError) as raised:
            read_test(7)
        self.assertEqual(raised.exception.field, "where")


class Conditions(TestCase):
    def check(self, condition: Any, reading: str, *cases: tuple[Occurrence, str | list[str]]) -> None:
        rule = rules.parse(condition)
        self.assertEqual(rules.as_json(rule), condition)
        self.assertEqual(sentence(rule), reading)
        [leaf] = rules.leaves(rule)
        for seen, misses in cases:
            expected = [misses] if isinstance(misses, str) else misses
            self.assertEqual(list(map(say, leaf.misses(seen))), expected)
            self.assertEqual(rules.meets(rule, seen), not expected)

    def test_an_event_from_code(self) -> None:
        dear = {"property": "value", "comparison": "above", "value": 50.0}
        self.check(
            {"event": {"name": "order"}},
            "the site’s code says order",
            (occurrence("mark", name="order"), []),
            (occurrence("mark", name="orders"), "the event is orders, this asks for order"),
            (occurrence("mark"), "the event is without a name, this asks for order"),
            (occurrence("view", name="order"), "this is a page view, this asks for an event from code"),
        )
        self.check(
            {
                "event": {
                    "name": "order",
                    "where": [dear, {"property": "plan", "comparison": "is", "value": "kit"}],
                }
            },
            "the site’s code says order and value is above 50 and plan is kit",
            (occurrence("mark", name="order", properties={"value": 51, "plan": "kit"}), []),
            (
                occurrence("mark", name="x", properties={"value": 50}),
                [
                    "the event is x, this asks for order",
                    "value is 50, this asks that value is above 50",
                    "plan is not given, this asks that plan is kit",
                ],
            ),
        )

    def test_pages_seen(self) -> None:
        self.check({"seen": {"pages": 1}}, "the visit has seen 1 page or more", (occurrence("view"), []))
        self.check(
            {"seen": {"pages": 3}},
            "the visit has seen 3 pages or more",
            (occurrence("click", views=3), []),
            (occurrence("view", views=2), "the visit has seen 2 so far, this asks for 3"),
        )

    def test_time_and_depth(self) -> None:
        self.check(
            {"stay": {"seconds": 30}},
            "a page has been looked at for 30 seconds or more",
            (occurrence("stay", properties={"reached": 30}), []),
            (occurrence("stay", properties={"reached": 29}), "29 seconds so far, this asks for 30"),
            (occurrence("stay", properties={"reached": "99"}), "99 seconds so far, this asks for 30"),
            (occurrence("stay"), "None seconds so far, this asks for 30"),
            (
                occurrence("scroll", properties={"reached": 99}),
                "this is scrolling, this asks for time spent on a page",
            ),
        )
        self.check(
            {"scroll": {"percent": 75}},
            "a page has been scrolled through to 75 percent or more",
            (occurrence("scroll", properties={"reached": 75.0}), []),
            (occurrence("scroll", properties={"reached": 50}), "50 percent so far, this asks for 75"),
            (
                occurrence("stay", properties={"reached": 99}),
                "this is time spent on a page, this asks for scrolling",
            ),
        )

    def test_bridge_links(self) -> None:
        step, sale = "a step over a bridge link", "a sale reported for a bridge link"
        self.check(
            {"step": {}},
            "any bridge link is followed",
            (occurrence("step", name="suits"), []),
            (occurrence("sale", name="suits"), f"this is {sale}, this asks for {step}"),
        )
        self.check(
            {"step": {"link": "suits"}},
            "somebody follows the bridge link suits",
            (occurrence("step", name="suits"), []),
            (occurrence("step", name="gear"), "the link is gear, this asks for suits"),
            (occurrence("step", name="tools"), "the link is tools, this asks for suits"),
        )
        self.check({"sale": {}}, "a sale is reported for any bridge link", (occurrence("sale", name="x"), []))
        self.check(
            {"sale": {"link": "suits"}},
            "a sale is reported for the bridge link suits",
            (occurrence("sale", name="gear"), "the link is gear, this asks for suits"),
            (occurrence("step", name="suits"), f"this is {step}, this asks for {sale}"),
        )

    def test_amounts_at_their_edges(self) -> None:
        for condition, unit, high in (
            ("seen", "pages", 500),
            ("stay", "seconds", 3600),
            ("scroll", "percent", 100),
        ):
            for right in (1, high):
                rules.parse({condition: {unit: right}})
            for wrong in (0, high + 1, -1, 1.5, True, "3", None):
                with self.assertRaises(RuleError) as raised:
                    rules.parse({condition: {unit: wrong}})
                self.assertEqual(raised.exception.field, unit)
            with self.assertRaises(RuleError):
                rules.parse({condition: {unit: 1, "more": 1}})

    def test_texts_up_to_their_bound(self) -> None:
        rules.parse({"page": {"match": "contains", "value": "x" * MAX_VALUE}})
        self.assertEqual(MAX_VALUE, 500)
        with self.assertRaisesRegex(RuleError, "too_long"):
            rules.parse({"page": {"match": "contains", "value": "x" * 501}})

    def test_ten_comparisons_and_no_more(self) -> None:
        one = {"property": "v", "comparison": "is", "value": 1.0}
        rules.parse({"event": {"name": "n", "where": [one] * 10}})
        for wrong in ([one] * 11, {"a": 1}, "x"):
            with self.assertRaises(RuleError) as raised:
                rules.parse({"event": {"name": "n", "where": wrong}})
            self.assertEqual(raised.exception.field, "where")
        rules.parse({"event": {"name": "n" * 64}})
        for name in ("n" * 65, "", " ", None, 7):
            with self.assertRaises(RuleError) as raised:
                rules.parse({"event": {"name": name}})
            self.assertEqual(raised.exception.field, "name")
        rules.parse({"step": {"link": "x" * 60}})
        for link in ("x" * 61, 7, "a\x00"):
            with self.assertRaises(RuleError) as raised:
                rules.parse({"step": {"link": link}})
            self.assertEqual(raised.exception.field, "link")
