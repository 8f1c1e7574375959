"""The people whom the network knows of itself: where they live, what interests them, how old they are, and what they use.

Made up from a seed: the same people every time.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from practice_network.simulation.auction import SEGMENTS

SIZE = 300_000
DEVICES = ("phone", "desktop", "tablet")
# Made-up towns: kilometres east and north, and how many live there, in shares.
TOWNS: dict[str, tuple[float, float, float]] = {
    "Alderwick": (0, 0, 0.22),
    "Brookhaven Mills": (34, 12, 0.12),
    "Carrow": (-28, 41, 0.11),
    "Dunmere": (71, -18, 0.10),
    "Elmsford": (-64, -33, 0.09),
    "Fennel Bay": (15, 96, 0.08),
    "Gorseley": (-110, 20, 0.08),
    "Hollin Vale": (58, 77, 0.07),
    "Ivestone": (-12, -88, 0.07),
    "Juniper Cross": (130, 40, 0.06),
}
# Of all people, how many have an interest; and how much likelier those have it who convert most often than those who do least.
INTERESTS: dict[str, tuple[float, float]] = {
    "gardening": (0.22, 1.9),
    "cooking": (0.31, 1.1),
    "woodwork": (0.12, 1.6),
    "nature walks": (0.27, 1.5),
    "farm animals": (0.08, 2.4),
    "cars": (0.24, 0.8),
    "football": (0.33, 0.8),
    "travel": (0.38, 1.0),
    "knitting": (0.10, 1.3),
    "computers": (0.26, 0.9),
}
YOUNGEST, OLDEST = 18, 90
_SPREAD_KM = 9.0


@dataclass(frozen=True, slots=True)
class Seek:
    """Whom to look for. An empty `town`, no `interests`, no `devices`: wherever, whatever.

    `every`: who has all of the interests; else whoever has one of them.
    """

    town: str = ""
    km: float = 25.0
    interests: tuple[str, ...] = ()
    every: bool = False
    youngest: int = YOUNGEST
    oldest: int = OLDEST
    devices: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class InterestCounts:
    """How many there are; with each of the interests alone, all else being as asked; and with each two of them."""

    people: int
    each: dict[str, int]
    both: list[tuple[str, str, int]]


@dataclass(frozen=True, slots=True)
class Population:
    """Arrays of SIZE; `interests` are bits in the order of INTERESTS."""

    seeds: NDArray[np.uint64]
    east: NDArray[np.float64]
    north: NDArray[np.float64]
    interests: NDArray[np.int64]
    age: NDArray[np.int64]
    device: NDArray[np.int64]

    def matching(self, seek: Seek) -> NDArray[np.int64]:
        """The places of those who are looked for."""
        return np.flatnonzero(self._around(seek) & self._interested(seek.interests, seek.every))

    def count(self, seek: Seek) -> InterestCounts:
        """How many are looked for."""
        around = self._around(seek)
        each = {i: int((around & self._interested((i,), True)).sum()) for i in seek.interests}
        both = [
            (a, b, int((around & self._interested((a, b), True)).sum()))
            for a, b in combinations(seek.interests, 2)
        ]
        return InterestCounts(int((around & self._interested(seek.interests, seek.every)).sum()), each, both)

    def _around(self, seek: Seek) -> NDArray[np.bool_]:
        found = (self.age >= seek.youngest) & (self.age <= seek.oldest)
        if seek.town:
            east, north, _ = TOWNS[seek.town]
            found &= np.hypot(self.east - east, self.north - north) <= seek.km
        if seek.devices:
            found &= np.isin(self.device, [DEVICES.index(d) for d in seek.devices])
        return found

    def _interested(self, interests: tuple[str, ...], every: bool) -> NDArray[np.bool_]:
        if not interests:
            return np.ones(len(self.age), np.bool_)
        wanted = sum(1 << list(INTERESTS).index(i) for i in interests)
        has = self.interests & wanted
        return np.asarray(has == wanted if every else has > 0)


@cache
def population() -> Population:
    """Everybody."""
    chance = np.random.default_rng(20260)
    seeds = chance.integers(0, 2**64, SIZE, dtype=np.uint64)
    at = np.array(list(TOWNS.values()))
    town = chance.choice(len(at), SIZE, p=at[:, 2] / at[:, 2].sum())
    east, north = (at[town, i] + chance.normal(0, _SPREAD_KM, SIZE) for i in (0, 1))
    # From 0 for those who convert least to 1.
    keen = (seeds % np.uint64(SEGMENTS)).astype(np.float64) / (SEGMENTS - 1)
    bits = np.zeros(SIZE, np.int64)
    for place, (share, apt) in enumerate(INTERESTS.values()):
        likely = share * apt**keen / np.mean(apt**keen)
        bits |= (chance.random(SIZE) < likely).astype(np.int64) << place
    age = np.clip(chance.gamma(9, 5.2, SIZE) + 4, YOUNGEST, OLDEST).astype(np.int64)
    return Population(seeds, east, north, bits, age, chance.choice(3, SIZE, p=(0.6, 0.32, 0.08)))


def identity_of(place: int) -> bytes:
    """The hash by which the network has one of its people."""
    return int(population().seeds[place]).to_bytes(8, "big") + place.to_bytes(4, "big") + bytes(20)


def place_of(identity: bytes) -> int:
    """Which of its people somebody is: of whomever it is told a hash, it takes one to be them."""
    return int.from_bytes(identity[8:12], "big") % SIZE
