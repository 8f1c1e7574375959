"""When a split test begins for somebody: reading it."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from clabo.core.rules.errors import RuleError
from clabo.core.splits.trigger import Trigger, read_trigger
from clabo.platform.wording.splits.triggers import moment_says


class Moments(TestCase):
    def test_what_is_read_is_written_again_and_read_out(self) -> None:
        for data, says in (
            ({}, ""),
            ({"after": 10}, "after 10 seconds on the page"),
            ({"scrolled": 50, "once": True}, "once 50 % of the page has been scrolled, once a visit"),
            ({"leaving": True}, "when somebody is about to leave"),
        ):
            moment = read_trigger(data)
            self.assertEqual((moment.json(), moment_says(moment)), (data, says))
        self.assertEqual(read_trigger({"after": 0, "leaving": False}), Trigger())

    def test_the_field_and_the_remedy_are_named(self) -> None:
        cases: list[tuple[Any, str, str]] = [
            ([], "", "moment_no_object"),
            ({"when": 3}, "rule", "unknown_part"),
            ({"after": 601}, "after", "how_many"),
            ({"after": "3"}, "after", "how_many"),
            ({"scrolled": 101}, "scrolled", "how_many"),
            ({"leaving": 1}, "leaving", "moment_yes_or_no"),
            ({"after": 3, "leaving": True}, "", "moment_one"),
            ({"once": True}, "once", "moment_once"),
        ]
        for data, field, code in cases:
            with self.subTest(data), self.assertRaises(RuleError) as raised:
                read_trigger(data)
            self.assertEqual((raised.exception.field, raised.exception.told.code), (field, code))
