"""Everything that the core can say has words, and its parameters can be kept."""

from __future__ import annotations

import ast
import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from unittest import TestCase

from hypothesis import given

from clabo import core
from clabo.core import rules
from clabo.core.message import Message, message
from clabo.core.pages.addresses import Address
from clabo.core.rules import Occurrence
from clabo.core.rules.rehearsal import Known, lines_of, outcome
from clabo.core.tests.strategies import CLICKS, EVENTS, FORMS, MESSAGES, RULES
from clabo.platform.wording import say, say_all
from clabo.platform.wording.rules.conditions import without_words
from clabo.platform.wording.rules.language import check_reading, sentence, why_not
from clabo.platform.wording.words import known

CORE = Path(core.__file__).parent
# Which argument of a call is a code.
CODES = {
    "message": 0,
    "AddressError": 0,
    "RuleError": 1,
    "others": 2,
    "text": 2,
}


def codes() -> Iterator[tuple[str, str]]:
    """Every code that stands in the core, and where."""
    for path in CORE.rglob("*.py"):
        if "tests" in path.parts:
            continue
        for node in ast.walk(ast.parse(path.read_text())):
            if not isinstance(node, ast.Call):
                continue
            name = getattr(node.func, "id", getattr(node.func, "attr", ""))
            place = CODES.get(name)
            if place is None or len(node.args) <= place:
                continue
            code = node.args[place]
            if isinstance(code, ast.Constant) and isinstance(code.value, str):
                yield code.value, path.name


def kept(what: Message) -> Message:
    return Message(**json.loads(json.dumps({"code": what.code, "params": what.params})))


class Words(TestCase):
    def test_every_code_has_words_and_every_text_its_code(self) -> None:
        used = dict(codes())
        self.assertGreater(len(used), 50)
        self.assertEqual({code: file for code, file in used.items() if code not in known()}, {})
        # Made of two parts, or said outside the core.
        made = {"miss_event", "miss_link", "miss_stage", "address_user", "imported_before"}
        made |= {c for c in known() if c.startswith("miss_") and c in _made_elsewhere()}
        self.assertEqual(known() - used.keys() - made, set())
        self.assertEqual(without_words(), [])

    def test_a_parameter_may_have_any_name(self) -> None:
        self.assertEqual(
            say(message("odd_year", text="1.2.3", year=3)), "“1.2.3” is in the year 3. Check the day order."
        )

    @given(RULES, EVENTS)
    def test_whatever_is_said_of_a_rule_can_be_kept_and_read(self, language: Any, what: Any) -> None:
        rule = rules.parse(language)
        properties = dict(what.get("properties", {})) | (
            {"reached": what["reached"]} if "reached" in what else {}
        )
        page = Address("shop.example", "/a")
        seen = Occurrence(
            what["kind"],
            page,
            element=what.get("element", {}),
            name=what.get("name", ""),
            properties=properties,
        )
        for reason in rules.misses(rule, seen):
            self.assertEqual(say(kept(reason)), say(reason))
        for check in rules.checks(rule, seen):
            self.assertTrue(check_reading(check))
            self.assertEqual(bool(why_not(check)), not check.met)
        site = Known(
            [page],
            [("form", f, [page]) for f in FORMS]
            + [("click", c, []) for c in CLICKS]
            + [("message", m, [page]) for m in MESSAGES],
            ["order", "signup"],
        )
        for line in lines_of(rule, site):
            self.assertEqual(say(kept(line.says)), say(line.says))
            say_all(map(kept, outcome(line, rule, [seen]).reasons))
        self.assertNotIn("{", sentence(rule))


def _made_elsewhere() -> set[str]:
    """Codes of near misses, which the database finds (setup/conversions/matching/near_misses.py)."""
    text = (CORE.parent / "setup" / "conversions" / "matching" / "near_misses.py").read_text()
    return {code for code in known() if f'"{code}"' in text}
