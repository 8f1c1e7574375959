"""How often what is still to come lies in its interval, at hours of the day and for delays of many kinds (SITES, 400)."""

from __future__ import annotations

import os
from collections import Counter

import numpy as np

from bench.common import table
from clabo.core.money.conversion_delays import Came, delays, to_come

SITES = int(os.environ.get("SITES", "400"))
SEED = 20261203
WINDOW, DAYS, LENS = 30, 120, 28
HOURS = np.array([0.2] * 7 + [1.0] * 10 + [2.0] * 6 + [0.5])
HOURS /= HOURS.sum()


def drawn(chance: np.random.Generator, mean: float, n: int, awake: bool) -> np.ndarray:
    """Delays in hours, within the window; a twentieth at once."""
    found = chance.exponential(mean * 24, n)
    found[chance.random(n) < 0.05] = 0.02
    return np.asarray(found)


def one(
    chance: np.random.Generator,
    clock: float,
    mean: float,
    per_day: float,
    vary: float = 0.0,
    days: int = DAYS,
    before: float | None = None,
    whole: float = 20.0,
) -> bool | None:
    """Whether the interval of one row holds what comes; the curve is of a site with `whole` times as many."""
    seen: Counter[Came] = Counter()
    row = np.zeros(days)
    coming = 0
    for age in range(days):
        factor = chance.gamma(1 / vary, vary) if vary else 1.0
        n = int(chance.poisson(per_day * whole * factor))
        began = chance.choice(24, n, p=HOURS) + chance.random(n)
        took = drawn(chance, before if before and age > 30 else mean, n, True)
        after = began + took
        # People sleep: what would come at night comes in the morning.
        night = after % 24 < 6
        after[night] += chance.uniform(2, 8, int(night.sum()))
        within = after - began <= WINDOW * 24
        own = chance.random(n) < 1 / whole
        come = within & (after <= 24 * age + clock)
        for b, a in zip(began[come].astype(int).tolist(), after[come].astype(int).tolist(), strict=True):
            seen[Came(age, b, a)] += 1
        row[age] = (own & come).sum()
        begun = began < clock if age == 0 else True
        if age < LENS:
            coming += int((own & within & ~come & begun).sum())
    found = delays(seen, WINDOW, clock)
    if found is None:
        return None
    said = to_come(found, [(age, float(row[age])) for age in range(min(LENS, days))])
    return said.low <= coming <= said.high


def main() -> None:
    chance = np.random.default_rng(SEED)
    rows: list[list[object]] = []
    for name, mean, per_day, more in [
        ("mean delay 4 d, 30 a day", 4.0, 30.0, {"whole": 1.0}),
        ("mean delay 0.5 d, 30 a day", 0.5, 30.0, {"whole": 1.0}),
        ("mean delay 4 d, 2 a day of 40", 4.0, 2.0, {}),
        ("mean delay 0.5 d, 2 a day of 40", 0.5, 2.0, {}),
        ("mean delay 12 d, 10 a day", 12.0, 10.0, {"whole": 1.0}),
        ("4 d, 30 a day, days vary (σ 0.5)", 4.0, 30.0, {"vary": 0.25, "whole": 1.0}),
        ("4 d for 30 days, 2 d before, 30 a day", 4.0, 30.0, {"before": 2.0, "whole": 1.0}),
        ("4 d, 30 a day, the site 10 days old", 4.0, 30.0, {"days": 10, "whole": 1.0}),
        ("4 d, 30 a day, the site 35 days old", 4.0, 30.0, {"days": 35, "whole": 1.0}),
    ]:
        cells: list[object] = []
        for clock in (0.5, 9.0, 15.25, 23.0):
            held = [one(chance, clock, mean, per_day, **more) for _ in range(SITES)]
            said = [h for h in held if h is not None]
            cells.append(f"{np.mean(said):.1%}" if said else "nothing said")
        rows.append([name, *cells])
        print(rows[-1], flush=True)
    table(["what comes", "at 0:30", "9:00", "15:15", "23:00"], rows)


if __name__ == "__main__":
    main()
