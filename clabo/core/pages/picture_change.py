"""Whether two pictures of a page show the same page, told from what is kept of their tiles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

# Tiles of a picture, in pixels: a line of a headline or a button alters one enough to be seen.
TILE_WIDTH, TILE_HEIGHT = 320, 160
# Of a perceptual hash's 256 bits, as many differ in tiles that look alike. Two renderings of the same page differ in
# none; another word in a line of text alters 12 and more, in a button 26, a colour 8.
LEAST_BITS = 10
# Of 255, in the mean of one colour over a tile: what has the same light and shade in another colour.
LEAST_COLOUR = 3


@dataclass(frozen=True, slots=True)
class Tile:
    """A perceptual hash of 256 bits, and the mean of each colour, 0 to 255."""

    bits: int
    colour: tuple[int, int, int]

    def looks_like(self, other: Tile) -> bool:
        """Whether an eye would take the two for the same."""
        if (self.bits ^ other.bits).bit_count() >= LEAST_BITS:
            return False
        return all(abs(a - b) < LEAST_COLOUR for a, b in zip(self.colour, other.colour, strict=True))


# A picture's tiles, row by row from the top; all rows are of one length.
Tiles = Sequence[Sequence[Tile]]
Place = tuple[int, int]


def differing(before: Tiles, after: Tiles) -> set[Place]:
    """Rows and columns of the tiles in which the two differ; where one is longer, all of its further rows.

    >>> plain = Tile(0, (255, 255, 255))
    >>> differing([[plain, plain]], [[plain, Tile(0, (200, 255, 255))], [plain, plain]])
    {(0, 1), (1, 0), (1, 1)}
    """
    found: set[Place] = set()
    for row in range(max(len(before), len(after))):
        old = before[row] if row < len(before) else ()
        new = after[row] if row < len(after) else ()
        for column in range(max(len(old), len(new))):
            known = column < len(old) and column < len(new)
            if not (known and old[column].looks_like(new[column])):
                found.add((row, column))
    return found


def changed(before: Tiles, after: Tiles, once_more: Tiles | None = None) -> set[Place]:
    """Where a page has changed: in which tiles `after` differs from `before`.

    `once_more` is a second look at the page as it is now: what differs between two looks moments apart changes by
    itself (a clock, words that take turns) and says nothing of the page.
    """
    found = differing(before, after)
    return found - differing(after, once_more) if once_more is not None else found
