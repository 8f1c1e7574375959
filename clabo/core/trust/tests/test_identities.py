"""Whose browsers belong together, against a plain search."""

from __future__ import annotations

import json
from pathlib import Path
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.trust.identities import MOST_BROWSERS, MOST_STATED, MOST_TOGETHER, digest, joined, normalise

STATED = st.lists(st.tuples(st.integers(0, 12), st.integers(0, 9)), max_size=30)


def searched(statements: list[tuple[int, int]]) -> dict[int, int]:
    """From every browser, whatever can be reached."""
    found = {}
    for start in {b for b, _ in statements}:
        seen, waiting = {start}, [start]
        while waiting:
            here = waiting.pop()
            for identity in {i for b, i in statements if b == here}:
                for other in {b for b, i in statements if i == identity} - seen:
                    seen.add(other)
                    waiting.append(other)
        if len(seen) > 1:
            found[start] = min(seen)
    return found


class JoinedTests(TestCase):
    @given(STATED, st.randoms())
    def test_whatever_is_connected_is_one_person_in_any_order(self, stated, random) -> None:
        expected = searched(stated)
        self.assertEqual(joined(stated), expected)
        random.shuffle(stated)
        self.assertEqual(joined(stated + stated[:3]), expected)

    def test_what_too_many_state_joins_nobody(self) -> None:
        crowd = [(b, "shared") for b in range(MOST_BROWSERS)]
        self.assertEqual(set(joined(crowd).values()), {0})
        self.assertEqual(joined([*crowd, (99, "shared")]), {})
        self.assertEqual(joined([*crowd, (99, "shared"), (1, "own"), (2, "own")]), {1: 1, 2: 1})

    def test_a_browser_of_many_belongs_to_nobody(self) -> None:
        desk = [("desk", i) for i in range(MOST_STATED)] + [("phone", 0)]
        self.assertEqual(joined(desk), {"desk": "desk", "phone": "desk"})
        self.assertEqual(joined([*desk, ("desk", 99)]), {})

    def test_no_chain_grows_past_the_most(self) -> None:
        chain = [(b, i) for i in range(MOST_TOGETHER) for b in (i, i + 1)]
        self.assertEqual(joined(chain), {})
        self.assertEqual(set(joined(chain[:-2]).values()), {0})


class HashingTests(TestCase):
    def test_the_vectors_that_the_tag_is_held_to(self) -> None:
        vectors = json.loads((Path(__file__).parents[4] / "tag/identity-vectors.json").read_text())
        self.assertGreater(len(vectors), 8)
        for one in vectors:
            self.assertEqual(digest(one["kind"], one["text"]), one["hash"], one)

    def test_nothing_is_hashed_of_nothing(self) -> None:
        self.assertEqual(normalise("email", " \t"), "")
        with self.assertRaises(ValueError):
            digest("id", "  ")
