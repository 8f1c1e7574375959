"""How often a challenger is called worse only because its conversions come later, looked at daily (TESTS, 200).

Both arms convert alike in the end: the control at once, the challenger's after some days. Beside it, what comparing everybody
as it stands would have said; and how many of challengers that are better by 40 % are found, later or not.
"""

from __future__ import annotations

import os
from datetime import date, timedelta

import numpy as np

from bench.common import table
from clabo.judge.splits.analysis.conversion_windows import Ripe
from clabo.judge.splits.analysis.post_exposure_outcomes import Came, arm_days
from clabo.judge.splits.analysis.readings import Plan, read

TESTS = int(os.environ.get("TESTS", "200"))
SEED = 20261204
FIRST, DAYS, RATE = date(2026, 1, 5), 42, 0.05


def arm(
    chance: np.random.Generator, per_day: int, rate: float, mean_days: float
) -> tuple[np.ndarray, np.ndarray]:
    """Of each visitor who will convert the day of the exposure, and the hours from then."""
    came = chance.binomial(per_day, rate, DAYS)
    exposed = np.repeat(np.arange(DAYS), came)
    hours = chance.exponential(mean_days * 24, len(exposed)) if mean_days else np.zeros(len(exposed))
    return exposed, hours.astype(np.int64)


def called(
    chance: np.random.Generator, per_day: int, lift: float, delays: tuple[float, float]
) -> tuple[str, str]:
    """What the first day on which something is said says: with the window, and as everything stands."""
    people = [arm(chance, per_day, RATE, delays[0]), arm(chance, per_day, RATE * (1 + lift), delays[1])]
    begun = chance.uniform(0, 24, 4000)
    plan = Plan(2 * per_day * DAYS, {"A": 50, "B": 50}, 0.95)
    said = {"window": "", "plain": ""}
    for day in range(2, DAYS):
        days = [FIRST + timedelta(days=n) for n in range(day + 1)]
        came = []
        for exposed, hours in people:
            at = exposed + (hours + np.resize(begun, len(hours))) // 24
            seen = (at <= day) & (exposed <= day)
            n = int(seen.sum())
            start = FIRST.toordinal()
            came.append(
                Came(
                    np.arange(n),
                    (start + at[seen]).astype(np.int64),
                    np.ones(n, np.int64),
                    np.zeros(n, np.int64),
                    start + exposed[seen],
                    hours[seen],
                )
            )
        by_day = dict.fromkeys(days, per_day)
        for how in said:
            if said[how]:
                continue
            ripe = Ripe.of(came, days, day + 1) if how == "window" else Ripe(0, 0)
            arms = {
                k: arm_days(ripe.exposed(by_day), ripe.came(c), days) for k, c in zip("AB", came, strict=True)
            }
            interval = read(days, day + 1, arms, plan)["B"][1][-1]
            if interval.low > 0 or interval.high < 0:
                said[how] = "better" if interval.low > 0 else "worse"
    return said["window"], said["plain"]


def main() -> None:
    chance = np.random.default_rng(SEED)
    rows: list[list[object]] = []
    for name, lift, delays in [
        ("alike, both at once", 0.0, (0.0, 0.0)),
        ("alike, both after 4 days", 0.0, (4.0, 4.0)),
        ("alike, the challenger after 2 days", 0.0, (0.0, 2.0)),
        ("alike, the challenger after 5 days", 0.0, (0.0, 5.0)),
        ("alike, the control after 5 days", 0.0, (5.0, 0.0)),
        ("better by 40 %, at once", 0.4, (0.0, 0.0)),
        ("better by 40 %, after 5 days", 0.4, (0.0, 5.0)),
    ]:
        for per_day in (60, 300):
            found = [called(chance, per_day, lift, delays) for _ in range(TESTS)]
            rows.append(
                [name, per_day]
                + [
                    f"{sum(f[k] == what for f in found) / TESTS:.1%}"
                    for k in (0, 1)
                    for what in ("worse", "better")
                ]
            )
            print(rows[-1], flush=True)
    head = ["arms", "visitors a day each", "called worse", "better", "as it stands: worse", "better"]
    table(head, rows)


if __name__ == "__main__":
    main()
