"""What a channel answers, in any order and any disorder."""

from __future__ import annotations

import random
from datetime import datetime
from typing import Any
from unittest.mock import patch
from uuid import uuid4

from django.test import SimpleTestCase

from clabo.setup.conversions.models import ConversionRule
from clabo.use.delivery.adapters.adapter import Member, Refusal
from clabo.use.delivery.adapters.calling import Answer
from clabo.use.delivery.adapters.over_http import UNKNOWN, OverHttp
from clabo.use.delivery.models import Report

AGAIN = Refusal(UNKNOWN, True)


class Answers(SimpleTestCase):
    def setUp(self) -> None:
        self.channel = OverHttp("https://ads.example", "key")
        rule = ConversionRule(pk=1, name="renamed_since")
        at = "2026-11-26T09:20:00+00:00"
        self.reports = [
            Report(rule=rule, name="order", event=f"E{n}", revision=1, click="c", currency="EUR")
            for n in range(6)
        ]
        for report in self.reports:
            report.time = datetime.fromisoformat(at)

    def told(self, answer: Any) -> tuple[Any, Any]:
        """What comes of an answer, and what was sent."""
        with patch(
            "clabo.use.delivery.adapters.over_http.call", return_value=Answer(200, answer, 0.0)
        ) as call:
            return self.channel.report(self.reports), call.call_args.args[4]

    def answer(self, n: int, **more: Any) -> dict[str, Any]:
        return {
            "name": "order",
            "event": f"E{n}",
            "taken": n % 2 == 0,
            "reason": "" if n % 2 == 0 else "busy",
            **more,
        }

    def test_each_is_matched_by_its_name_and_event(self) -> None:
        expected = [None if n % 2 == 0 else Refusal("busy", False) for n in range(6)]
        answers = [self.answer(n) for n in range(6)]
        for order in (answers, answers[::-1], random.Random(3).sample(answers, 6)):
            found, sent = self.told({"answers": order})
            self.assertEqual(found, expected)
        # It is told by the name that it was told by at first.
        self.assertEqual({item["name"] for item in sent["items"]}, {"order"})

    def test_what_is_missing_or_twice_or_anothers_is_asked_again(self) -> None:
        answers = [self.answer(0), self.answer(0, taken=False), self.answer(1), self.answer(3, event="E9")]
        answers.append(self.answer(4, name="other"))
        found, _ = self.told({"answers": answers})
        self.assertEqual(found, [AGAIN, Refusal("busy", False), AGAIN, AGAIN, AGAIN, AGAIN])


class Members(SimpleTestCase):
    def test_refusals_of_nobody_who_was_sent_leave_the_others_unknown(self) -> None:
        channel = OverHttp("https://ads.example", "key")
        a, b, c = (Member(0, bytes([n]) * 32) for n in (1, 2, 3))

        def refused(member: Member, kind: str = "email", **more: Any) -> dict[str, Any]:
            return {"kind": kind, "hash": member.hash.hex(), "reason": "busy", "again": False, **more}

        for said, expected in (
            ([], {}),
            ([refused(a)], {a: Refusal("busy", False)}),
            ([refused(c)], {a: AGAIN, b: AGAIN}),
            ([refused(a), refused(b, "phone")], {a: Refusal("busy", False), b: AGAIN}),
            ([refused(a), refused(a)], {a: Refusal("busy", False), b: AGAIN}),
        ):
            with patch(
                "clabo.use.delivery.adapters.over_http.call", return_value=Answer(200, {"refused": said}, 0.0)
            ):
                self.assertEqual(channel.put_members(uuid4(), "x", [a], [b], uuid4()), expected, said)
