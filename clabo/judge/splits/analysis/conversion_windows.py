"""Exposures that are old enough for their conversions to have come (core/splits/conversion_window.py)."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from clabo.core.splits.conversion_window import conversion_window
from clabo.judge.splits.analysis.post_exposure_outcomes import Came


@dataclass(frozen=True, slots=True)
class Ripe:
    """What is compared: conversions within `window` days of the exposure, once that is over; 0: all as they stand.

    `last` is the last day (date.toordinal) that is over.
    """

    window: int
    last: int

    @classmethod
    def of(cls, arms: Sequence[Came], days: Sequence[date], closed: int) -> Ripe:
        """As these arms' conversions have come by the end of the first `closed` days."""
        last = days[0].toordinal() + closed - 1
        firsts = [(last - c.exposed[c.first], c.hours[c.first]) for c in arms]
        return cls(conversion_window(firsts), last)

    def exposed(self, by_day: Mapping[date, int]) -> dict[date, int]:
        """Visitors by the day at whose end their window is over."""
        if not self.window:
            return dict(by_day)
        moved = {day + timedelta(days=self.window): n for day, n in by_day.items()}
        return {day: n for day, n in moved.items() if day.toordinal() <= self.last}

    def came(self, came: Came) -> Came:
        """Their conversions within it, on that day."""
        return came.within(self.window, self.last) if self.window else came
