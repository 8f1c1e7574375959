"""Definitions of audiences in plain words."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

from hypothesis import given, settings

from clabo.core import audiences
from clabo.core.tests.audience_strategies import DEFINITIONS
from clabo.platform.wording.audiences import Names, audience_sentence, node_says

NAMES = Names({1: "kit order"}, {4: "Readers"})
KIT = {"page": {"match": "equals", "value": "/kit"}}


class Sentences(TestCase):
    def test_they_read(self) -> None:
        for data, sentence in (
            ({"include": {"what": KIT, "to": 21}}, "People who saw /kit in the last 21 days."),
            (
                {
                    "include": {"what": KIT, "from": 14, "to": 45, "times": 2},
                    "exclude": {"what": {"audience": 4}},
                },
                "People who saw /kit at least 2 times, 14 to 44 days ago, but not those who are in Readers.",
            ),
            (
                {
                    "include": {
                        "sequence": [{"what": KIT, "to": 1}, {"what": {"conversion": 1}}],
                        "within": 7200,
                    }
                },
                "People who saw /kit today, then made the conversion kit order at any time, each within 2 hours.",
            ),
            (
                {
                    "include": {
                        "any": [{"what": KIT, "to": 7}, {"what": {"came": {"channel": "email"}}, "to": 7}]
                    }
                },
                "People who saw /kit or came from e-mail in the last 7 days.",
            ),
            (
                {"include": {"what": {"visit": "new"}, "from": 3, "to": 4}},
                "People who came for the first time 3 days ago.",
            ),
        ):
            with self.subTest(sentence):
                self.assertEqual(audience_sentence(audiences.parse(data), NAMES), sentence)

    @settings(max_examples=100, deadline=None)
    @given(DEFINITIONS)
    def test_every_definition_and_every_line_has_words(self, data: dict[str, Any]) -> None:
        definition = audiences.parse(data)
        whole = audience_sentence(definition, NAMES)
        self.assertTrue(whole.startswith("People who ") and whole.endswith("."))
        self.assertNotRegex(whole, r"[{}]|  |\(\)|None")
        for _, node in audiences.nodes(definition):
            self.assertTrue(node_says(node, NAMES)[0])
