"""Which variant a visitor sees: the same answer here and in the tag (tag/src/splits.ts).

Both are held to the vectors in tag/split-vectors.json.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

_MASK = 0xFFFFFFFF


def hash32(text: str) -> int:
    """FNV-1a over the UTF-8 bytes, then MurmurHash3's 32-bit finaliser.

    FNV-1a alone spreads short, similar texts badly over its high bits; the finaliser's avalanche
    mends that. (Fowler, Noll & Vo, draft-eastlake-fnv; Appleby, MurmurHash3 `fmix32`.)
    """
    value = 0x811C9DC5
    for byte in text.encode():
        value = ((value ^ byte) * 0x01000193) & _MASK
    value ^= value >> 16
    value = (value * 0x85EBCA6B) & _MASK
    value ^= value >> 13
    value = (value * 0xC2B2AE35) & _MASK
    return value ^ (value >> 16)


def point(visitor: str, salt: str) -> float:
    """A number in [0, 1), the same for the same visitor and salt."""
    return hash32(f"{salt}.{visitor}") / 4294967296


@dataclass(frozen=True, slots=True)
class Slot:
    """The part of all visitors that a test takes: in whole percentages, `traffic` of them from `start` on.

    Tests whose slots have the same `layer` and do not overlap share nobody. Without a layer a test's slot is its own.
    """

    traffic: int = 100
    start: int = 0
    layer: str = ""

    def holds(self, visitor: str, test: str) -> bool:
        """Whether the visitor is in it."""
        if self.traffic >= 100:
            return True
        return self.start <= point(visitor, (self.layer or test) + ":in") * 100 < self.start + self.traffic


EVERYBODY = Slot()


def with_held_out(shares: Sequence[int], held_out: int) -> list[float]:
    """The shares of all in the test, in percent: of the variants, and last of those who see none of them.

    `shares` are of those who see a variant. Without anybody held out they are as they were.

    >>> with_held_out([60, 40], 10)
    [54.0, 36.0, 10]
    """
    if not held_out:
        return list(shares)
    return [share * (100 - held_out) / 100 for share in shares] + [held_out]


def assign(visitor: str, test: str, shares: Sequence[float], slot: Slot = EVERYBODY) -> int | None:
    """The index of the variant that `visitor` sees in `test`, or None when outside its slot.

    `shares` are percentages that sum to 100. Being in the test and the variant are decided by independent
    points, so widening a slot moves nobody between variants.

    >>> assign("a" * 32, "k", [50, 50], Slot(30)), assign("a" * 32, "k", [50, 50], Slot(70, start=30))
    (None, 0)
    """
    if not slot.holds(visitor, test):
        return None
    place, edge = point(visitor, test) * 100, 0.0
    for index, share in enumerate(shares):
        edge += share
        if place < edge:
            return index
    return len(shares) - 1
