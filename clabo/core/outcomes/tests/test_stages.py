"""What files write for stages, and what is left of a value."""

from __future__ import annotations

import doctest
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.outcomes import stages
from clabo.core.outcomes.stages import Stage, TakenBack, key_of, stage_meant, taken_back

USUAL = [
    Stage("qualified", "Qualified", "reached"),
    Stage("offer", "Offer sent", "reached"),
    Stage("sold", "Sold", "reached"),
    Stage("lost", "Lost", "reached"),
    Stage("refunded", "Refunded", "refund"),
    Stage("cancelled", "Cancelled", "cancel"),
]


class Meant(TestCase):
    def test_examples_hold(self) -> None:
        self.assertFalse(doctest.testmod(stages).failed)

    def test_files_and_their_words(self) -> None:
        for text, key in {
            "SOLD": "sold",
            "closed-won": "sold",
            "Closed / lost": "lost",
            "offer SENT": "offer",
            "Verkauft": "sold",
            "Vendu": "sold",
            "paid, then refunded": "refunded",
            "Storniert": "cancelled",
            "not qualified": None,
            "nicht qualifiziert": None,
            "new": None,
            "won or lost": "lost",
            "": None,
        }.items():
            with self.subTest(text):
                found = stage_meant(text, USUAL)
                self.assertEqual(found.key if found else None, key)

    def test_a_stage_that_is_not_the_sites_is_not_meant(self) -> None:
        self.assertIsNone(stage_meant("Sold", [USUAL[0]]))

    @given(st.text(max_size=60))
    def test_a_name_means_its_own_stage(self, name: str) -> None:
        if key := key_of(name):
            self.assertEqual(
                stage_meant(name, [Stage(key, name, "reached"), *USUAL]), Stage(key, name, "reached")
            )


amounts = st.decimals(0, 10_000, places=2)


class Left(TestCase):
    @given(amounts, st.lists(amounts, max_size=5))
    def test_amounts_add_up_and_nothing_falls_below_zero(
        self, value: Decimal, given_back: list[Decimal]
    ) -> None:
        back = sum((taken_back("refund", {"value": float(a)}) for a in given_back), TakenBack())
        self.assertEqual(back.left(value), max(Decimal(0), value - sum(given_back)))
        self.assertEqual((back + taken_back("refund", {})).left(value), 0)
        self.assertIsNone(back.left(None))

    def test_what_a_stage_does(self) -> None:
        self.assertTrue(taken_back("cancel", {}).cancelled)
        self.assertEqual(taken_back("reached", {"value": 5}), TakenBack())
