"""False alarms of silence a site and year, and how long it takes to see that a tag is lost (PAGES 60, YEARS 4).

Each page goes on as before through a year of visits, judged at the end of each of its silences, with what goes on on the site's
other pages beside it. Then its tag is lost at random moments; the perfect observer knows each hour's rate and how
days vary, and bears as many false alarms: one a site and year.
"""

from __future__ import annotations

import os
from datetime import UTC, date, datetime, timedelta
from itertools import pairwise

import numpy as np

from bench.common import table
from clabo.core.pages.silence import Rhythm, beside, silence

PAGES, YEARS = int(os.environ.get("PAGES", "60")), int(os.environ.get("YEARS", "4"))
SEED = 20261202
WEEKS, DAYS = 8, 365 + 56
MONDAY = date(2025, 12, 1)
START = datetime(2025, 12, 1, tzinfo=UTC)

OFFICE = np.array([[1.0 if 8 <= h < 18 else 0.0 for h in range(24)]] * 5 + [[0.0] * 24] * 2)
EVENING = np.array([[0.3 + (h >= 6) * 0.7 + (17 <= h < 23) * 1.5 for h in range(24)]] * 7)
EVENING[5:] *= 1.4


class World:
    """A site: `rates` by page, day and hour in truth, without the factor of a day; `factors` by page and day."""

    def __init__(
        self, chance: np.random.Generator, per_day: float, week: np.ndarray, vary: float, shared: float
    ) -> None:
        shape = week / week.sum() * 7 * per_day
        self.rates = np.array([shape[d % 7] for d in range(DAYS)])
        self.vary = vary
        own = chance.gamma(1 / vary, vary, (PAGES, DAYS)) if vary else np.ones((PAGES, DAYS))
        # Holidays and campaigns: the whole site falls together.
        together = np.ones(DAYS)
        if shared:
            together[chance.random(DAYS) < 0.03] = shared
        self.together = together
        self.factors = own * together
        self.counts = chance.poisson(self.factors[:, :, None] * self.rates)


def none_by_chance(world: World, start: float, end: float, known: bool = True) -> float:
    """The perfect observer's chance of none between two hours."""
    chance = 0.0
    hour = start
    by_day: dict[int, float] = {}
    while hour < end:
        until = min(end, np.floor(hour) + 1)
        day = int(hour // 24)
        by_day[day] = (
            by_day.get(day, 0.0) + (until - hour) * world.rates[day, int(hour % 24)] * world.together[day]
        )
        hour = until
    for much in by_day.values():
        chance -= np.log1p(world.vary * much) / world.vary if world.vary else much
    return float(chance)


def judged(world: World, page: int, since: int, now: float) -> bool:
    """What Clabo says at hour `now` of a page whose last visit was in hour `since`."""
    day = since // 24
    first = max(0, day - 7 * WEEKS)
    rhythm = Rhythm.of(world.counts[page, first:day], MONDAY + timedelta(days=first))
    if rhythm is None:
        return False
    others = np.delete(world.counts[:, first:], page, axis=0).reshape(PAGES - 1, -1)
    from_hour, to_hour = since + 1 - first * 24, int(now) - first * 24
    alive = others[:, from_hour:to_hour].sum()
    whole = Rhythm.of(
        np.delete(world.counts[:, first:day], page, axis=0).sum(axis=0), MONDAY + timedelta(days=first)
    )
    last, at = START + timedelta(hours=since + 1), START + timedelta(hours=now)
    part = 1.0
    if whole is not None and to_hour > from_hour:
        hours = START + timedelta(hours=first * 24 + from_hour), START + timedelta(hours=first * 24 + to_hour)
        part = beside(float(alive), sum(whole.expected(*hours).values()))
    return silence(rhythm, last, at, PAGES, part=part).stopped


def main() -> None:
    chance = np.random.default_rng(SEED)
    rows: list[list[object]] = []
    for name, per_day, week, vary, shared in [
        ("9 visits a day, office hours", 9, OFFICE, 0.0, 0.0),
        ("9 a day, day and night", 9, EVENING, 0.0, 0.0),
        ("100 a day", 100, EVENING, 0.0, 0.0),
        ("20 a day, days vary (σ 0.5)", 20, EVENING, 0.25, 0.0),
        ("100 a day, days vary (σ 0.5)", 100, OFFICE, 0.25, 0.0),
        ("30 a day, on one day in 33 a tenth", 30, EVENING, 0.05, 0.1),
    ]:
        alarms = 0
        ratios: list[float] = []
        never = 0
        for _ in range(YEARS):
            world = World(chance, per_day, week, vary, shared)
            flat = world.counts.reshape(PAGES, -1)
            mean = np.tile(world.rates.ravel(), 1)
            sums = np.concatenate([[0.0], np.cumsum(mean)])
            for page in range(PAGES):
                came = np.flatnonzero(flat[page])
                for since, until in pairwise(came):
                    if since >= WEEKS * 168 and sums[until] - sums[since + 1] > 5:
                        alarms += judged(world, page, int(since), float(until))
            for page in chance.choice(PAGES, 12, replace=False):
                lost = int(chance.integers(WEEKS * 168, (DAYS - 30) * 24))
                since = int(np.flatnonzero(flat[page, :lost])[-1])
                borne = np.log(1 / (PAGES * per_day * 365))
                perfect = next(
                    h for h in range(since + 2, DAYS * 24) if none_by_chance(world, since + 1, h) < borne
                )
                world.counts[page].reshape(-1)[since + 1 :] = 0
                said = next(
                    (
                        h
                        for h in range(perfect - (perfect - since) // 2, DAYS * 24)
                        if judged(world, page, since, h)
                    ),
                    None,
                )
                if said is None:
                    never += 1
                else:
                    ratios.append((said - since) / (perfect - since))
        rows.append(
            [
                name,
                f"{alarms / YEARS:.2f}",
                f"{np.median(ratios):.2f}",
                f"{np.quantile(ratios, 0.9):.2f}",
                f"{max(ratios):.2f}",
                never,
            ]
        )
        print(rows[-1], flush=True)
    table(
        [
            "pages that go on as before",
            "false alarms a year",
            "seen after, median",
            "nine in ten",
            "longest",
            "never",
        ],
        rows,
    )


if __name__ == "__main__":
    main()
