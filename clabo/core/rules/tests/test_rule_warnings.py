"""What a rule catches that is unlike the rest: the reasons, and each threshold from both sides."""

from __future__ import annotations

import itertools
from unittest import TestCase

from clabo.core.evidence import rate_interval
from clabo.core.message import message
from clabo.core.rules.rule_warnings import Caught, suspicions


def kinds(groups: list[Caught]) -> list[str]:
    """ "b" where it says that visits began there, "o" where it says how often in a visit."""
    return [
        "".join("b" if r.code == "began_visit" else "o" for r in reasons) for reasons in suspicions(groups)
    ]


def plainly(groups: list[Caught]) -> list[str]:
    """The same by the rule's words, group by group."""
    found = []
    for place, g in enumerate(groups):
        rest = [other for i, other in enumerate(groups) if i != place]
        events, begun = sum(r.events for r in rest), sum(r.begun for r in rest)
        said = ""
        if g.events >= 10:
            low = rate_interval(g.begun, g.events).low
            if events < 10:
                said += "b" if low > 0.5 else ""
            elif begun / events <= 0.1 and low > max(rate_interval(begun, events).high, 0.05):
                said += "b"
            said += "o" if g.events >= 3 * g.visits else ""
        found.append(said)
    return found


class Suspicions(TestCase):
    def test_against_the_rule_in_words(self) -> None:
        sizes = [
            Caught(0, 0, 0),
            Caught(9, 3, 9),
            Caught(10, 10, 0),
            Caught(10, 3, 9),
            Caught(40, 30, 8),
            Caught(400, 390, 38),
            Caught(400, 100, 300),
            Caught(60, 20, 55),
        ]
        for many in (1, 2):
            for groups in itertools.product(sizes, repeat=many):
                self.assertEqual(kinds(list(groups)), plainly(list(groups)), groups)

    def test_alone_half_of_them_is_not_enough(self) -> None:
        self.assertEqual(kinds([Caught(20, 20, 10)]), [""])
        self.assertEqual(kinds([Caught(20, 20, 14)]), [""])  # 0.7, but not for certain
        self.assertEqual(kinds([Caught(20, 20, 16)]), ["b"])
        self.assertEqual(kinds([Caught(20, 20, 0)]), [""])

    def test_how_often_in_a_visit(self) -> None:
        self.assertEqual(kinds([Caught(30, 10, 0)]), ["o"])
        self.assertEqual(kinds([Caught(29, 10, 0)]), [""])
        [[said]] = suspicions([Caught(35, 10, 0)])
        self.assertEqual(said, message("often_in_a_visit", times=3.5))
        [[begun]] = suspicions([Caught(20, 20, 19)])
        self.assertEqual(begun, message("began_visit", begun=19, events=20))
        self.assertEqual(suspicions([]), [])
