"""A proof is what the site's server computes, and nothing else is one."""

from __future__ import annotations

import hashlib
import hmac
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.trust.proof import is_person_proven, is_proven, sign, sign_person, told

KEY = "k" * 48


class Proofs(TestCase):
    def test_as_documented(self) -> None:
        """The three lines of docs/tag.md, without our own code."""
        expected = hmac.new(KEY.encode(), b"BH-1042\n59.9\nEUR", hashlib.sha256).hexdigest()
        for value, currency in ((59.9, "EUR"), ("59.90", "eur"), (59.90, " EUR ")):
            self.assertEqual(sign(KEY, "BH-1042", value, currency), expected)

    def test_who_is_at_a_browser(self) -> None:
        visitor, ada = "0f" * 16, hashlib.sha256(b"ada@example.com").hexdigest()
        expected = hmac.new(KEY.encode(), f"person\n{visitor}\n{ada}\n".encode(), hashlib.sha256).hexdigest()
        self.assertEqual(sign_person(KEY, visitor, " Ada@Example.com"), expected)
        said = {"email": ada, "proof": expected}
        self.assertTrue(is_person_proven(said, visitor, ["other", KEY]))
        for person, browser, keys in (
            (said, "1f" * 16, [KEY]),
            (said, visitor, []),
            ({"email": hashlib.sha256(b"bob@example.com").hexdigest(), "proof": expected}, visitor, [KEY]),
            ({**said, "id": ada}, visitor, [KEY]),
            ({"id": ada, "proof": expected}, visitor, [KEY]),
            ({"email": ada}, visitor, [KEY]),
            ({**said, "proof": ""}, visitor, [KEY]),
        ):
            self.assertFalse(is_person_proven(person, browser, keys), (person, browser, keys))

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
