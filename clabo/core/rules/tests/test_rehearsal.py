"""What a rehearsal asks for, and how it judges what happened."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core import rules
from clabo.core.pages.addresses import Address
from clabo.core.rules import Occurrence, PageFits, RuleError, parse
from clabo.core.rules.conditions.address import exactly
from clabo.core.rules.conditions.page import CAMPAIGN, MOST_SILENT
from clabo.core.rules.rehearsal import (
    Known,
    Line,
    lines_of,
    outcome,
    parse_steps,
)
from clabo.core.tests.strategies import CLICKS, EVENTS, FORMS, MESSAGES, PATHS, RULES
from clabo.platform.wording import say, say_all

PAGES = [Address("shop.example", path) for path in ["/", *PATHS]]
KNOWN = Known(
    PAGES,
    [("form", f, [PAGES[1]]) for f in FORMS]
    + [("click", c, [PAGES[2]]) for c in CLICKS]
    + [("message", m, [PAGES[3]]) for m in MESSAGES],
    ["order", "signup"],
)
FORM = parse({"form": {"id": "booking"}})


def alike_to(match: Any, value: str, path: str) -> bool:
    return PageFits(match, value).alike(Address("shop.example", path))


def line(should: str, says: str, lines: list[Line]) -> Line:
    return next(e for e in lines if e.should == should and says in say(e.says))


class Lines(TestCase):
    def test_both_halves_of_a_form(self) -> None:
        lines = lines_of(FORM, KNOWN)
        self.assertEqual(
            [(e.should, say(e.says)) for e in lines],
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
        self.assertEqual(
            (wrong.status, say_all(wrong.reasons)), ("failed", "it counted, for any form is sent")
        )

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

    def whole(self, language: Any, known: Known) -> list[tuple[str, str, str, Any]]:
        return [(e.should, say(e.says), e.open, e.watch) for e in lines_of(parse(language), known)]

    def test_pages_that_only_look_alike_and_how_many_are_named(self) -> None:
        home, thanks = Address("shop.example", "/"), Address("shop.example", "/thank-you")
        alike = [Address("shop.example", f"/journal/{n}-thank-you") for n in range(MOST_SILENT + 2)]
        campaign = "shop.example/thank-you?" + CAMPAIGN
        page = {"page": {"match": "equals", "value": "/thank-you"}}
        fires = [
            ("fire", "Reach shop.example/thank-you as a visitor does", "shop.example/thank-you", page),
            ("fire", "Open shop.example/thank-you with campaign parameters behind it", campaign, page),
        ]
        silent = [
            ("silent", f"Open {a}, which only looks alike", str(a), exactly(a)) for a in alike[:MOST_SILENT]
        ]
        self.assertEqual(self.whole(page, Known([home, thanks, *alike])), [*fires, *silent])
        # Where nothing looks alike, any other page has to do; where nothing is known, the address itself.
        other = ("silent", "Open shop.example/", "shop.example/", exactly(home))
        self.assertEqual(self.whole(page, Known([home, thanks])), [*fires, other])
        self.assertEqual(
            [line[1] for line in self.whole(page, Known())],
            [
                "Reach /thank-you as a visitor does",
                "Open /thank-you with campaign parameters behind it",
            ],
        )
        pattern = {"page": {"match": "pattern", "value": "^/x.*$"}}
        self.assertEqual(
            self.whole(pattern, Known())[0][1:3], ("Reach a page that fits as a visitor does", "")
        )
        self.assertEqual(len(self.whole(pattern, Known())), 1)
        flags = [(e.campaign, e.failing) for e in lines_of(parse(page), Known([thanks]))]
        self.assertEqual(flags, [(False, False), (True, False)])

    def test_what_has_the_same_words(self) -> None:
        self.assertTrue(alike_to("equals", "/order/Thanks/", "/journal/thanks-all"))
        self.assertTrue(alike_to("begins", "shop.example/done", "/undone"))
        self.assertFalse(alike_to("equals", "/abc", "/abcd"))  # Three letters are in too many.
        self.assertTrue(alike_to("equals", "/abcd", "/abcde"))
        self.assertFalse(alike_to("pattern", "thanks", "/thanks"))
        self.assertFalse(alike_to("contains", "thanks", "/order"))
        self.assertEqual(PageFits("equals", "/").words(), "/")

    def test_clicks_messages_events_and_the_rest(self) -> None:
        a, b, c = (Address("shop.example", path) for path in ("/a", "/b", "/c"))
        known = Known(
            [a],
            [
                ("click", {"what": "phone", "text": "Ring us", "to": "tel:+00"}, [b]),
                ("click", {"what": "link", "text": "Elsewhere"}, [c]),
                ("click", {"what": "link", "to": "shop.example/x"}, [b]),
                (
                    "message",
                    {"origin": "https://f.example", "keys": {"type": "string"}, "values": {"type": "sent"}},
                    [c],
                ),
                ("message", {"origin": "https://f.example", "values": {"type": "ready", "n": "1"}}, [c]),
                ("message", {"origin": "https://g.example"}, []),
            ],
            ["order", "signup", *(f"e{n}" for n in range(MOST_SILENT))],
        )
        self.assertEqual(
            self.whole({"click": {"what": "phone"}}, known),
            [
                (
                    "fire",
                    "A phone number is clicked: click it",
                    "shop.example/b",
                    {"click": {"what": "phone"}},
                ),
                (
                    "silent",
                    "Click shop.example/x on the same page",
                    "shop.example/b",
                    {"click": {"what": "link", "to": "shop.example/x"}},
                ),
                (
                    "silent",
                    "Click Elsewhere on shop.example/c",
                    "shop.example/c",
                    {"click": {"what": "link", "text": "Elsewhere"}},
                ),
            ],
        )
        message = {"origin": "https://f.example", "at": "type", "value": "sent"}
        self.assertEqual(
            self.whole({"message": message}, known),
            [
                (
                    "fire",
                    "Finish the form in the frame of https://f.example",
                    "shop.example/c",
                    {"message": message},
                ),
                (
                    "silent",
                    "Let the frame say type ready, n 1 on the same page",
                    "shop.example/c",
                    {"message": {"origin": "https://f.example", "at": "type", "value": "ready"}},
                ),
                (
                    "silent",
                    "Let the frame say without a name",
                    "",
                    {"message": {"origin": "https://g.example", "at": "?", "value": "?"}},
                ),
            ],
        )
        events = self.whole({"event": {"name": "order"}}, known)
        self.assertEqual(
            events[0], ("fire", "Do what makes the code say order", "", {"event": {"name": "order"}})
        )
        self.assertEqual([e[1][-6:].strip() for e in events[1:]], ["signup", "say e0", "say e1", "say e2"])
        shown = {"shown": {"text": "Thanks"}}
        self.assertEqual(self.whole(shown, known)[0][3], shown)
        self.assertTrue(self.whole(shown, known)[0][1].endswith(": make it appear"))
        self.assertEqual(
            self.whole({"seen": {"pages": 2}}, known),
            [("fire", "The visit has seen 2 pages or more", "", {"seen": {"pages": 2}})],
        )
        # A place is no trigger of its own, what must not be is not asked for, and nothing is asked for twice.
        both = {
            "all": [
                {"seen": {"pages": 2}},
                {"on": {"match": "equals", "value": "/a"}},
                {"not": {"seen": {"pages": 9}}},
            ]
        }
        self.assertEqual(len(self.whole(both, known)), 1)
        self.assertEqual(len(self.whole({"any": [{"seen": {"pages": 2}}, {"seen": {"pages": 2}}]}, known)), 1)

    def test_where_is_the_first_page_that_it_was_seen_on(self) -> None:
        a, b = Address("shop.example", "/a"), Address("shop.example", "/b")
        seen = {
            "id": "booking",
            "what": "phone",
            "origin": "https://f.example",
            "keys": {"t": "string"},
            "values": {"t": "x"},
        }
        known = Known((), [(kind, seen, [a, b]) for kind in ("click", "form", "message", "tried")])  # type: ignore[list-item]
        for rule in (
            {"form": {"id": "booking"}},
            {"click": {"what": "phone"}},
            {"message": {"origin": "https://f.example", "at": "t", "value": "x"}},
        ):
            lines = self.whole(rule, known)
            self.assertEqual({line[2] for line in lines}, {"shop.example/a"}, rule)
        # What another kind of element was seen on is nowhere.
        other = Known((), [("click", {"id": "booking"}, [b]), ("tried", {"id": "booking"}, [b])])
        self.assertEqual(self.whole({"form": {"id": "booking"}}, other)[0][2], "")
        self.assertEqual(outcome(lines_of(FORM, other)[0], FORM, []).attempts, 0)

    def test_forms_are_told_by_what_they_have(self) -> None:
        known = Known(
            (),
            [
                ("form", {"id": "a", "fields": ["x"]}, []),
                ("form", {"name": "b"}, []),
                ("form", {"action": "https://shop.example/c"}, []),
                ("form", {"fields": ["q", "r"]}, []),
                ("form", {"id": "booking"}, []),
            ],
        )
        silent = [
            line[3]["form"] for line in self.whole({"form": {"id": "booking"}}, known) if line[0] == "silent"
        ]
        self.assertEqual(
            silent,
            [
                {"id": "booking"},
                {"id": "a"},
                {"name": "b"},
                {"action": "https://shop.example/c"},
                {"field": "q"},
            ],
        )

    def test_an_outcome_counts_its_attempts_and_says_what_was_missed(self) -> None:
        rule = parse({"page": {"match": "equals", "value": "/thank-you"}})
        plain, campaign = lines_of(rule, Known([Address("shop.example", "/thank-you")]))
        here, there = PAGES[0], Address("shop.example", "/thank-you")
        seen = [
            Occurrence("view", there),
            Occurrence("view", there, query="utm_source=x"),
            Occurrence("view", here),
        ]
        for each in (plain, campaign):
            self.assertEqual(
                (outcome(each, rule, seen).status, outcome(each, rule, seen).attempts), ("passed", 1)
            )
        other = parse({"page": {"match": "equals", "value": "/elsewhere"}})
        failed = outcome(plain, other, [Occurrence("view", there)] * 2)
        self.assertEqual((failed.status, failed.attempts), ("failed", 2))
        self.assertIn("/elsewhere", say_all(failed.reasons))
        sending, refused, *_ = lines_of(FORM, KNOWN)
        booking = {"id": "booking"}
        self.assertEqual(
            outcome(sending, FORM, [Occurrence("tried", here, element=booking)]).status, "untried"
        )
        self.assertEqual(
            outcome(refused, FORM, [Occurrence("form", here, element=booking)]).status, "untried"
        )
        self.assertEqual(outcome(refused, FORM, [Occurrence("tried", here, element=booking)]).attempts, 1)

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
        [framed] = parse_steps("in  #x  click  button ")
        self.assertEqual((framed.frame, framed.action, framed.target), ("#x", "click", "button"))
        self.assertEqual((steps[2].frame, steps[2].target), ("iframe#x", "text=Book a place"))
        self.assertEqual(len(parse_steps("open /a\n" * 200)), 200)
        for text, number in (
            ("jump /a", 1),
            ("open /a\nopen", 2),
            ("# x\n\nin x open /a", 3),
            ("wait long", 1),
            ("in x", 1),
            ("open /a\n" * 201, None),
        ):
            with self.assertRaises(RuleError) as caught:
                parse_steps(text)
            self.assertEqual(caught.exception.field, "steps")
            self.assertIn("at most 200" if number is None else f"Line {number} ", say(caught.exception.told))
