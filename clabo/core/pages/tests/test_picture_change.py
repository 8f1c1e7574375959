"""Changes of pages, told from tiles."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from clabo.core.pages.picture_change import LEAST_BITS, LEAST_COLOUR, Tile, changed, differing

TILES = st.builds(Tile, st.integers(0, 2**256 - 1), st.tuples(*[st.integers(0, 255)] * 3))
PICTURES = st.lists(st.lists(TILES, min_size=4, max_size=4), max_size=5)
PLAIN = Tile(0, (255, 255, 255))


class PageChange(TestCase):
    @given(PICTURES, PICTURES)
    def test_the_same_whichever_is_first(self, a: list[list[Tile]], b: list[list[Tile]]) -> None:
        self.assertEqual(differing(a, b), differing(b, a))
        self.assertEqual(differing(a, a), set())

    def test_bits_and_colours_at_their_bounds(self) -> None:
        below, at = Tile((1 << (LEAST_BITS - 1)) - 1, PLAIN.colour), Tile((1 << LEAST_BITS) - 1, PLAIN.colour)
        self.assertEqual(differing([[PLAIN]], [[below]]), set())
        self.assertEqual(differing([[PLAIN]], [[at]]), {(0, 0)})
        for place in range(3):
            colour = [255, 255, 255]
            colour[place] -= LEAST_COLOUR - 1
            self.assertEqual(differing([[PLAIN]], [[Tile(0, tuple(colour))]]), set())  # type: ignore[arg-type]
            colour[place] -= 1
            self.assertEqual(differing([[PLAIN]], [[Tile(0, tuple(colour))]]), {(0, 0)})  # type: ignore[arg-type]

    def test_a_longer_page_has_changed_in_its_further_rows(self) -> None:
        self.assertEqual(differing([[PLAIN] * 4], [[PLAIN] * 4] * 2), {(1, c) for c in range(4)})

    @given(PICTURES, PICTURES, PICTURES)
    def test_what_moves_by_itself_is_no_change(
        self, a: list[list[Tile]], b: list[list[Tile]], again: list[list[Tile]]
    ) -> None:
        found = changed(a, b, again)
        self.assertEqual(found, differing(a, b) - differing(b, again))
        self.assertEqual(changed(a, b, b), differing(a, b))
