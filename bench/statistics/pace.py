"""How often a month's spend ends within what was said of it, and how often “over” or “short” was said wrongly, read every day."""

from __future__ import annotations

from datetime import date, timedelta

import numpy as np

from bench.common import table  # sets Django up first
from clabo.core.money.pace import SHORT, month_end, pace

MONTHS, SEED = 300, 20261202
RHYTHM = np.array([1.0, 1.1, 1.2, 1.1, 1.0, 0.6, 0.5])
# Level moves a day, noise of a day (as a part of it), and how likely a day changes the budget by half or more.
SETTINGS = {
    "steady": (0.0, 0.1, 0.0),
    "drifting": (0.03, 0.2, 0.0),
    "noisy days": (0.01, 0.5, 0.0),
    # What is said is said of this pace: a budget that is changed afterwards breaks it.
    "changed by half once in 40 days": (0.01, 0.15, 0.025),
    "never at weekends": (0.01, 0.2, 0.0),
}


def main() -> None:
    """Print the table."""
    rows: list[list[object]] = []
    for name, (moves, noise, steps) in SETTINGS.items():
        chance = np.random.default_rng(SEED)
        inside = {5: 0, 12: 0, 20: 0}
        over = short = 0
        for _ in range(MONTHS):
            end = month_end(date(2026, 1, 1) + timedelta(days=int(chance.integers(90, 330))))
            days = [end - timedelta(days=n) for n in range(90, -1, -1)]
            jumps = (
                (chance.random(len(days)) < steps)
                * chance.choice([-1, 1], len(days))
                * chance.uniform(0.4, 0.9, len(days))
            )
            level = 100 * np.exp(np.cumsum(chance.normal(0, moves, len(days)) + jumps))
            shape = 1 / noise**2
            costs = level * RHYTHM[[d.weekday() for d in days]] * chance.gamma(shape, 1 / shape, len(days))
            if name == "never at weekends":
                costs *= [d.weekday() < 5 for d in days]
            came = float(costs[-end.day :].sum())
            # A budget that is kept by a hair, and one of which a hair more than SHORT is spent.
            said_over = said_short = False
            for day in range(1, end.day):
                known = list(costs[: len(costs) - (end.day - day)])
                found = pace(known, end.replace(day=day), came * 1.001)
                said_over |= found.standing == "over"
                said_short |= pace(known, end.replace(day=day), came / SHORT * 0.999).standing == "short"
                if day in inside and found.expected:
                    inside[day] += found.expected.low <= came <= found.expected.high
            over += said_over
            short += said_short
        rows.append(
            [
                name,
                *(f"{n / MONTHS:.1%}" for n in inside.values()),
                f"{over / MONTHS:.1%}",
                f"{short / MONTHS:.1%}",
            ]
        )
    head = [
        f"{MONTHS} months each",
        "within, on day 5",
        "day 12",
        "day 20",
        "“over” said, and was not",
        "“short” said, and was not",
    ]
    table(head, rows)


if __name__ == "__main__":
    main()
