"""Unions over sliding windows of days."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from pyroaring import BitMap


def sliding_unions(days: Sequence[BitMap], width: int, count: int) -> Iterator[BitMap]:
    """The unions of `days[i : i + width]` for i = 0 … `count` - 1, one after the other. They are not to be changed.

    In about two unions a day however wide the window is (van Herk, "A fast algorithm for local minimum and maximum
    filters on rectangular and octagonal kernels", 1992): unions from each block's beginning on and up to each block's end.

    Raises
    ------
    ValueError
        Where `days` has fewer than `count + width - 1`.

    Examples
    --------
    >>> [sorted(union) for union in sliding_unions([BitMap([1]), BitMap([2]), BitMap([3])], 2, 2)]
    [[1, 2], [2, 3]]
    """
    needed = count + width - 1
    if len(days) < needed:
        raise ValueError("too few days")
    onward: list[BitMap] = []
    for i in range(needed):
        onward.append(days[i] if i % width == 0 else _together(onward[-1], days[i]))
    back: list[BitMap] = [BitMap()] * needed
    for i in range(needed - 1, -1, -1):
        last = i % width == width - 1 or i == needed - 1
        back[i] = days[i] if last else _together(back[i + 1], days[i])
    return (
        _together(back[i], onward[i + width - 1]) if i % width else onward[i + width - 1]
        for i in range(count)
    )


def _together(a: BitMap, b: BitMap) -> BitMap:
    """The union, without a copy where one has nothing."""
    return (a | b) if a and b else (a or b)
