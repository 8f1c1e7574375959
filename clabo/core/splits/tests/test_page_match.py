"""Pages of a test: what is read, which pages are meant, and that the tag leaves none of them out."""

from __future__ import annotations

import re
from typing import Any
from unittest import TestCase
from urllib.parse import quote, unquote

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.rules.errors import RuleError
from clabo.core.splits.page_match import MATCHES, Place, read_places
from clabo.platform.wording import say

PARTS = st.lists(st.sampled_from(["kits", "a.b", "(r)", "honig é", "x+y", "50%", "日", "a|b"]), max_size=3)
HOST = "shop.example"


def shown(path: str) -> str:
    """As a browser has it, after decodeURI and without slashes at the end."""
    kept = re.split("(%(?:2[346BCF]|3[ABDF]|40))", path.split("?")[0])
    return "".join(p if i % 2 else unquote(p) for i, p in enumerate(kept)).rstrip("/")


class Places(TestCase):
    @given(st.sampled_from(MATCHES), PARTS, PARTS, st.integers(0, 12), st.booleans())
    def test_the_tag_leaves_no_page_out(
        self, match: Any, parts: list[str], others: list[str], cut: int, queried: bool
    ) -> None:
        path = "/" + "/".join(quote(p) for p in parts) + ("?id=3" if queried else "")
        other = "/" + "/".join(quote(p) for p in others)
        value = {"equals": HOST + path, "begins": HOST + path[:cut], "contains": path[cut:] or "/"}[match]
        # Nobody cuts a character in two.
        value = re.sub("%[0-9A-F]?$", "", value)
        [place] = read_places([{"match": match, "value": value}])
        self.assertEqual(place.json(), {"match": match, "value": value})
        for one in (path, other):
            here = HOST + one
            meant = {"equals": here == value, "begins": here.startswith(value), "contains": value in here}[
                match
            ]
            self.assertEqual(place.holds(HOST, one), meant)
            # What is in the query alone is not seen early on.
            if meant and (match != "contains" or value in HOST + one.split("?")[0]) and one[: len(value)]:
                self.assertTrue(re.search(place.pattern(), HOST + shown(one)), (place, one))

    def test_what_is_refused_says_why(self) -> None:
        for data, field in (
            ("x", ""),
            ([1], "[0]"),
            ([{"match": "like", "value": "/a"}], "[0].match"),
            ([{"match": "begins"}], "[0].value"),
            ([{"match": "begins", "value": "/a b"}], "[0].value"),
            ([{"match": "begins", "value": "/a", "more": 1}], "[0]"),
            ([{"match": "begins", "value": "/a"}] * 11, ""),
        ):
            with self.assertRaises(RuleError) as told:
                read_places(data)
            self.assertEqual(told.exception.field, field, data)
            self.assertTrue(say(told.exception.told))

    def test_of_several_kinds(self) -> None:
        places = [Place("begins", f"{HOST}/kits"), Place("contains", "sale")]
        self.assertTrue(any(p.holds(HOST, "/a/sale-9") for p in places))
