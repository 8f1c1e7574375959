"""Who may be in a split test: reading it, and deciding as the tag does."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any
from unittest import TestCase

from clabo.core.rules.errors import RuleError
from clabo.core.splits.targeting import Entrants, Facts, Way, admits, read_entrants

VECTORS = Path(__file__).resolve().parents[4] / "tag" / "entrant-vectors.json"


class Reading(TestCase):
    def test_what_is_read_is_written_again(self) -> None:
        for data in (
            {},
            {"devices": ["phone", "tablet"], "visits": "new"},
            {"came": [{"source": "meadow", "campaign": "autumn"}, {"referrer": "partner.example"}]},
        ):
            self.assertEqual(read_entrants(data).json(), data)
        self.assertEqual(read_entrants({"devices": ["desktop", "tablet", "phone"]}), Entrants())
        self.assertEqual(
            read_entrants({"came": [{"source": " Meadow "}, {"source": "meadow", "medium": ""}]}),
            Entrants(came=(Way("meadow"),)),
        )

    def test_the_field_and_the_remedy_are_named(self) -> None:
        cases: list[tuple[Any, str, str]] = [
            ([], "", "entrants_no_object"),
            ({"device": ["phone"]}, "rule", "unknown_part"),
            ({"devices": ["watch"]}, "devices", "choose_one"),
            ({"devices": "phone"}, "devices", "choose_one"),
            ({"visits": "first"}, "visits", "choose_one"),
            ({"came": {}}, "", ""),
            ({"came": [{}]}, "came[0]", "entrants_way"),
            ({"came": [{"source": "a"}, {"host": "b"}]}, "came[1]", "entrants_way"),
            ({"came": [{"source": "  "}]}, "came[0]", "entrants_way"),
            ({"came": [{"source": 7}]}, "came[0].source", "no_text"),
            ({"came": [{"source": "a" * 201}]}, "came[0].source", "too_long"),
            ({"came": [{"campaign": "a\0"}]}, "came[0].campaign", "nul"),
            ({"came": [{"referrer": "https://partner.example/"}]}, "came[0].referrer", "entrants_host"),
            ({"came": [{"source": str(n)} for n in range(21)]}, "came", "entrants_ways"),
        ]
        for data, field, code in cases:
            with self.subTest(data):
                if not code:
                    self.assertEqual(read_entrants(data), Entrants())
                    continue
                with self.assertRaises(RuleError) as raised:
                    read_entrants(data)
                self.assertEqual((raised.exception.field, raised.exception.told.code), (field, code))


class Deciding(TestCase):
    def test_each_part_must_hold_and_any_way_will_do(self) -> None:
        who = Entrants(
            ("phone",),
            "returning",
            (Way(source="meadow", campaign="autumn"), Way(referrer="partner.example")),
        )
        ad = {"utm_source": "Meadow", "utm_campaign": "Autumn"}
        cases = [
            (Facts("phone", False, ad), True),
            (Facts("tablet", False, ad), False),
            (Facts("phone", True, ad), False),
            (Facts("phone", False, {"utm_source": "meadow"}), False),
            (Facts("phone", False, {}, "www.partner.example"), True),
            (Facts("phone", False, {}, "mypartner.example"), False),
        ]
        for facts, expected in cases:
            self.assertEqual(admits(who, facts), expected, facts)

    def test_the_tag_agrees_on_the_shared_vectors(self) -> None:
        vectors = json.loads(VECTORS.read_text())
        self.assertGreater(len(vectors), 50)
        for v in vectors:
            f = v["facts"]
            facts = Facts(f["device"], f["first"], v["parameters"], f["referrer"])
            self.assertEqual(admits(read_entrants(v["who"]), facts), v["in"], v)
            self.assertEqual(read_entrants(v["who"]).for_tag(), v["tag"])
