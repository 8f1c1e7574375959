"""A proof is what the site's server computes, and nothing else is one."""

from __future__ import annotations

import hashlib
import hmac
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.proof import is_proven, sign, told

KEY = "k" * 48


class Proofs(TestCase):
    def test_as_documented(self) -> None:
        """The three lines of docs/tag.md, without our own code."""
        expected = hmac.new(KEY.encode(), b"BH-1042\n59.9\nEUR", hashlib.sha256).hexdigest()
        for value, currency in ((59.9, "EUR"), ("59.90", "eur"), (59.90, " EUR ")):
            self.assertEqual(sign(KEY, "BH-1042", value, currency), expected)

    @given(st.decimals(0, 10**6, places=2))
    def test_a_value_has_one_spelling(self, value: object) -> None:
        self.assertEqual(told("o", value, ""), told("o", float(str(value)), None))
        self.assertEqual(told("o", str(value), ""), told("o", value, ""))

    def test_only_what_was_signed_under_a_key_in_force(self) -> None:
        good = {"order": "A", "value": 10, "currency": "EUR", "proof": sign(KEY, "A", 10, "EUR")}
        self.assertTrue(is_proven(good, "A", ["other", KEY]))
        self.assertFalse(is_proven(good, "A", ["other"]))
        self.assertFalse(is_proven(good, "A", []))
        for changed in (
            {"value": 1000},
            {"currency": "USD"},
            {"proof": "0" * 64},
            {"proof": None},
            {"proof": 1},
        ):
            self.assertFalse(is_proven({**good, **changed}, "A", [KEY]), changed)
        self.assertEqual(told("o", None, "EUR"), "o\n\nEUR")
        self.assertEqual(told("o", True, "EUR"), "o\n\nEUR")
        self.assertFalse(is_proven(good, "B", [KEY]))
        self.assertFalse(is_proven({**good, "proof": sign(KEY, "", 10, "EUR")}, "", [KEY]))
