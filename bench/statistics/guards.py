"""How often a sound test is called harmful or broken: guards right at their limit, and splits that are as planned.

TESTS (2,000) of a guard, read at 28 midnights by the day's reading; splits looked at daily and every ten minutes.
"""

from __future__ import annotations

import os
from datetime import date, timedelta

import numpy as np

from bench.common import table
from clabo.core.evidence import Counts, Moments, guard_factor, guard_standing, split_health
from clabo.judge.splits.analysis.post_exposure_outcomes import ArmDays
from clabo.judge.splits.analysis.readings import Plan, read

TESTS = int(os.environ.get("TESTS", "2000"))
SEED = 20261205
DAYS = [date(2026, 1, 5) + timedelta(days=n) for n in range(28)]


def harm(chance: np.random.Generator, rate: float, margin: float, per_day: int, share: float) -> bool:
    """Whether a guard ever fails whose measure, better when low, is worse by exactly what is allowed."""
    worse = rate * (1 + margin)
    arms = {}
    for letter, p, n in (("A", rate, round(per_day * (1 - share))), ("B", worse, round(per_day * share))):
        did = np.cumsum(chance.binomial(n, p, len(DAYS)))
        counts = [Counts(int(x), n * (d + 1)) for d, x in enumerate(did)]
        arms[letter] = ArmDays(counts, [Moments.of_counts(c) for c in counts])
    plan = Plan(per_day * len(DAYS), {"A": 100 - 100 * share, "B": 100 * share}, 0.95)
    beyond = read(DAYS, len(DAYS), arms, plan, control_times=guard_factor(margin, False))["B"][1]
    return any(guard_standing(interval, False) == "fails" for interval in beyond)


def main() -> None:
    chance = np.random.default_rng(SEED)
    rows: list[list[object]] = []
    for rate, margin in ((0.4, 0.1), (0.4, 0.02), (0.05, 0.2)):
        for share in (0.5, 0.2):
            failed = sum(harm(chance, rate, margin, 400, share) for _ in range(TESTS // 4))
            rows.append([f"{rate:.0%}", f"{margin:.0%}", f"{share:.0%}", f"{failed / (TESTS // 4):.1%}"])
    print(
        "A guard whose measure is worse by exactly its limit, 400 visitors a day, 28 midnights: called harmful"
    )
    table(["the control's rate", "limit", "challenger's share", "harmful"], rows)
    rows = []
    for name, shares in (("50 : 50", [50, 50]), ("34 : 33 : 33", [34, 33, 33]), ("90 : 10", [90, 10])):
        parts = np.array(shares) / sum(shares)
        daily = tenth = 0
        for _ in range(TESTS):
            day = np.cumsum(chance.multinomial(400, parts, 28), axis=0)
            daily += any(split_health(row.tolist(), shares).broken for row in day)
        for _ in range(TESTS // 10):
            ten = np.cumsum(chance.multinomial(3, parts, 28 * 144), axis=0)
            tenth += any(split_health(row.tolist(), shares).broken for row in ten)
        rows.append([name, f"{daily / TESTS:.2%}", f"{tenth / (TESTS // 10):.2%}"])
    print("A split that is as planned: called broken at any look")
    table(["split", f"28 daily looks ({TESTS:,} tests)", f"every ten minutes ({TESTS // 10:,})"], rows)
    rows = []
    for lost in (0.02, 0.05, 0.1):
        days = []
        for _ in range(200):
            a = np.cumsum(chance.binomial(400, 0.5, 56))
            b = np.cumsum(chance.binomial(400, 0.5 * (1 - lost), 56))
            seen = (d for d in range(56) if split_health([int(a[d]), int(b[d])], [50, 50]).broken)
            days.append(next(seen, 56) + 1)
        rows.append([f"{lost:.0%}", f"{np.median(days):.0f}" if np.median(days) < 57 else "over 56"])
    print("A split of which the second arm loses visitors: days until it is called broken (median of 200)")
    table(["lost", "days"], rows)


if __name__ == "__main__":
    main()
