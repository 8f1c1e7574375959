"""What visitors of an arm did since they were exposed, as arrays, and the arm's state at the end of each day."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, fields, replace
from datetime import date
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from clabo.core.evidence import Counts, Moments

# Values are kept as whole numbers, so many to one of the currency.
UNITS = 10_000

Whole = NDArray[np.int64]


@dataclass(frozen=True, slots=True, eq=False)
class Came:
    """Conversions of an arm's visitors since their exposure: each visitor's one after another, in order of time.

    Arrays of the same length: the visitor, the day (date.toordinal), the value in UNITS, what was known of the visitor before
    (before.stratum_of), the day of the exposure, and whole hours since then.
    """

    visitor: Whole
    day: Whole
    units: Whole
    stratum: Whole
    exposed: Whole
    hours: Whole

    @classmethod
    def together(cls, several: Sequence[Came]) -> Came:
        """Those of several arms, which share no visitor."""
        parts = ([getattr(c, f.name) for c in several] for f in fields(cls))
        return cls(*(np.concatenate(part) if part else np.zeros(0, dtype=np.int64) for part in parts))

    def known_as(self, stratum: int) -> Came:
        """Those of visitors of that stratum."""
        return self._only(self.stratum == stratum)

    def within(self, window: int, last: int) -> Came:
        """Those within so many days of the exposure, each on the day at whose end that is over for all who were exposed with
        it; of days up to `last` (date.toordinal)."""
        found = self._only((self.hours < 24 * window) & (self.exposed + window <= last))
        return replace(found, day=found.exposed + window)

    def _only(self, which: NDArray[np.bool_]) -> Came:
        return Came(*(getattr(self, f.name)[which] for f in fields(self)))

    @property
    def first(self) -> NDArray[np.bool_]:
        """Which of them are a visitor's first."""
        return np.asarray(np.diff(self.visitor, prepend=-1) != 0)

    @property
    def converted(self) -> int:
        """How many visitors did it."""
        return int(self.first.sum())

    def sums(self) -> Whole:
        """What each visitor who did it brought in all, in UNITS."""
        return np.add.reduceat(self.units, np.flatnonzero(self.first)) if len(self.units) else self.units

    @property
    def total(self) -> Decimal:
        """What all brought together."""
        return Decimal(int(self.units.sum())) / UNITS


NOBODY = Came.together([])


@dataclass(frozen=True, slots=True)
class ArmDays:
    """An arm at the end of each day: who had come, who had converted, and what they had brought."""

    counts: list[Counts]
    values: list[Moments]


def arm_days(exposed: Mapping[date, int], came: Came, days: Sequence[date]) -> ArmDays:
    """An arm's state at the end of each of `days`, which follow one another; `exposed` by day of exposure."""
    n = len(days)
    place = came.day - days[0].toordinal()
    within = (place >= 0) & (place < n)
    place, first, units = place[within], came.first[within], came.units[within]
    # What a visitor has brought grows, and its square with it. In whole numbers, of which nothing is lost.
    begun = np.cumsum(came.units) - came.units
    before = begun - np.repeat(begun[came.first], np.diff(np.append(np.flatnonzero(came.first), len(begun))))
    value, so_far = units / UNITS, before[within] / UNITS
    converted = np.cumsum(np.bincount(place[first], minlength=n))
    total = np.cumsum(np.bincount(place, weights=value, minlength=n))
    square = np.cumsum(np.bincount(place, weights=value * (value + 2 * so_far), minlength=n))
    come = np.cumsum([exposed.get(d, 0) for d in days])
    return ArmDays(
        [Counts(min(int(c), int(m)), int(m)) for c, m in zip(converted, come, strict=True)],
        [Moments.of_sums(int(m), float(t), float(s)) for m, t, s in zip(come, total, square, strict=True)],
    )


def arm_at_once(exposed: Mapping[date, int], did: Mapping[date, int], days: Sequence[date]) -> ArmDays:
    """The same of what visitors do at their exposure or never, `did` by its day."""
    come = np.cumsum([exposed.get(d, 0) for d in days])
    done = np.cumsum([did.get(d, 0) for d in days])
    counts = [Counts(min(int(k), int(n)), int(n)) for k, n in zip(done, come, strict=True)]
    return ArmDays(counts, [Moments.of_counts(c) for c in counts])
