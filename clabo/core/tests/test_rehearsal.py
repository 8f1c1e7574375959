"""What a rehearsal asks for, and how it judges what happened."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core import rules
from clabo.core.addresses import Address
from clabo.core.rehearsal import Known, Line, lines_of, outcome, parse_steps
from clabo.core.rules import Occurrence, RuleError, parse
from clabo.core.tests.strategies import CLICKS, EVENTS, FORMS, MESSAGES, PATHS, RULES

PAGES = [Address("shop.example", path) for path in ["/", *PATHS]]
KNOWN = Known(
    PAGES,
    [("form", f, [PAGES[1]]) for f in FORMS]
    + [("click", c, [PAGES[2]]) for c in CLICKS]
    + [("message", m, [PAGES[3]]) for m in MESSAGES],
    ["order", "signup"],
)
FORM = parse({"form": {"id": "booking"}})


def line(should: str, says: str, lines: list[Line]) -> Line:
    return next(e for e in lines if e.should == should and says in e.says)


class Lines(TestCase):
    def test_both_halves_of_a_form(self) -> None:
        lines = lines_of(FORM, KNOWN)
        self.assertEqual(
            [(e.should, e.says) for e in lines],
            [
                ("fire", "A form with id booking: send it"),
                ("silent", "A form with id booking: try to send it with a required field left empty"),
                ("silent", "Send the form newsletter on the same page"),
                ("silent", "Send the form booking on the same page"),
            ],
        )
        booking = Occurrence("form", PAGES[1], element=FORMS[0])
        letter = Occurrence("form", PAGES[1], element=FORMS[1])
        tried = Occurrence("tried", PAGES[1], element=FORMS[0])
        happened = [tried, letter, booking]
        self.assertEqual([outcome(e, FORM, happened).status for e in lines[:3]], ["passed"] * 3)
        self.assertEqual([outcome(e, FORM, []).status for e in lines], ["untried"] * 4)
        careless = parse({"form": {}})
        wrong = outcome(lines[2], careless, happened)
        self.assertEqual((wrong.status, wrong.reason), ("failed", "it counted, for any form is sent"))

    def test_both_halves_of_a_page(self) -> None:
        rule = parse({"page": {"match": "contains", "value": "thank-you"}})
        lines = lines_of(rule, KNOWN)
        plain, campaign = lines[:2]
        self.assertEqual(campaign.open.partition("?")[0], "shop.example/thank-you")
        seen = Occurrence("view", PAGES[3])
        self.assertEqual([outcome(e, rule, [seen]).status for e in (plain, campaign)], ["passed", "untried"])
        exact = parse({"page": {"match": "equals", "value": "/thank-you"}})
        silent = line("silent", "only looks alike", lines_of(exact, KNOWN))
        article = Occurrence("view", PAGES[4])
        self.assertEqual(outcome(silent, exact, [article]).status, "passed")
        self.assertEqual(outcome(silent, rule, [article]).status, "failed")

    @given(RULES)
    def test_every_rule_has_something_that_should_count(self, language: Any) -> None:
        lines = lines_of(parse(language), KNOWN)
        self.assertIn("fire", {e.should for e in lines})
        for each in lines:
            parse(each.watch)  # what an attempt is can be read

    @given(RULES, st.lists(EVENTS, max_size=6))
    def test_no_line_passes_against_the_rule(self, language: Any, events: list[Any]) -> None:
        rule = parse(language)
        happened = [
            Occurrence(
                e["kind"],
                PAGES[2],
                element=e.get("element", {}),
                name=e.get("name", ""),
                properties={"reached": e["reached"]} if "reached" in e else e.get("properties", {}),
            )
            for e in events
        ]
        for each in lines_of(rule, KNOWN):
            came = outcome(each, rule, happened)
            met = any(rules.meets(rule, o) for o in happened)
            if each.should == "fire" and came.status == "passed":
                self.assertTrue(met)
            if not met:
                self.assertNotEqual((each.should, came.status), ("silent", "failed"))

    def test_steps_are_read_or_named_by_their_line(self) -> None:
        steps = parse_steps(
            "# a comment\n\nopen /a\nfill [name=mail] a b@c\nin iframe#x click text=Book a place\nwait 20"
        )
        self.assertEqual([s.action for s in steps], ["open", "fill", "click", "wait"])
        self.assertEqual((steps[1].target, steps[1].text), ("[name=mail]", "a b@c"))
        self.assertEqual((steps[2].frame, steps[2].target), ("iframe#x", "text=Book a place"))
        for text in ("jump /a", "open", "in x open /a", "wait long", "open /a\n" * 201):
            with self.assertRaises(RuleError) as caught:
                parse_steps(text)
            self.assertEqual(caught.exception.field, "steps")
