"""How often a plan's week falls into what was said of it before: 200 seeded plans, each with a past of its own."""

from __future__ import annotations

import time
from datetime import date

import numpy as np
from scipy import stats

from bench.common import table  # sets Django up first
from clabo.core.evidence import Counts
from clabo.core.plans import Outlook, Past, Practice, Range, Worth, outlook
from practice_network.plans import Creative, Line, Plan
from practice_network.simulation.auction import (
    USUAL_RATE,
    Learned,
    People,
    State,
    Terms,
    band_of,
    conversion_rates,
    quality_of,
    step,
)
from practice_network.simulation.forecast import DAYS, Size, practise

PLANS, EARLIER = 200, 6
WINDOWS = ((0, 3), (0, 7), (0, 21), (7, 30), (14, 45))
MEASURES = ("reached", "shown", "cost", "clicks", "conversions", "cost_of_one", "roas")
WORTH = Worth(62.0, 18.0)


def some_plan(chance: np.random.Generator, page: str) -> tuple[Plan, Size]:
    """A plan as somebody may write it, for people of one window."""
    first, last = WINDOWS[chance.integers(len(WINDOWS))]
    creatives = [
        Creative(f"c{n}", f"words {chance.integers(10**12)}", "", "", f"https://shop.example{page}")
        for n in range(chance.integers(1, 4))
    ]
    plan = Plan(
        "c",
        [Line("l", ["x"], days=(float(first), float(last)))],
        [],
        float(chance.uniform(0.35, 1.5)),
        float(chance.uniform(4, 40)),
        int(chance.choice([0, 2, 3, 5])),
        date(2026, 11, 2),
        None,
        creatives,
    )
    return plan, Size(int(np.exp(chance.uniform(np.log(300), np.log(6000)))), (float(first), float(last)))


def week(plan: Plan, size: Size, page: str, chance: np.random.Generator) -> dict[str, float]:
    """What the network does with it, told of each day's conversions at its end."""
    seeds = chance.integers(0, 2**64, size.people, dtype=np.uint64)
    people = People.of_seeds(seeds, chance.uniform(*size.days, size.people))
    terms = Terms(plan.highest_click, plan.daily_budget, plan.cap, tuple(c.quality for c in plan.creatives))
    state, learned = State.fresh(len(people)), Learned()
    found = dict.fromkeys(("shown", "cost", "clicks", "conversions"), 0.0)
    for _ in range(DAYS):
        worth = learned.worth()
        for hour in range(24):
            happened = step(people, terms, state, worth, hour, 1.0, chance)
            rates = conversion_rates(people, happened.person, USUAL_RATE, quality_of(page))
            through = chance.random(len(rates)) < rates
            place = people.segment[happened.person], band_of(people.days[happened.person])
            np.add.at(learned.clicks, place, 1)
            np.add.at(learned.conversions, place, through)
            found["shown"] += happened.shown.sum()
            found["cost"] += happened.cost
            found["clicks"] += len(happened.person)
            found["conversions"] += through.sum()
        state.next_day()
    n = int(found["conversions"])
    value = (
        float(chance.gamma(n * (WORTH.mean / WORTH.deviation) ** 2, WORTH.deviation**2 / WORTH.mean))
        if n
        else 0.0
    )
    return {
        **found,
        "reached": float((state.seen > 0).sum()),
        "cost_of_one": found["cost"] / n if n else np.inf,
        "roas": value / found["cost"] if found["cost"] else 0.0,
    }


def said_before(plan: Plan, size: Size, past: Past, seed: int) -> Outlook:
    """What is said of a plan while it is written."""
    weeks = [Practice(w.reached, w.shown, w.cost, tuple(w.clicks)) for w in practise(plan, [size], seed)]
    return outlook(weeks, [past] * len(plan.creatives), WORTH, seed)


def within(of: Range, value: float) -> bool:
    """Whether it lies between the limits, both included."""
    return of.low - 1e-9 <= value <= of.high + 1e-9


def main() -> None:
    """Print the table."""
    inside = dict.fromkeys(MEASURES, 0)
    below = dict.fromkeys(MEASURES, 0)
    took = 0.0
    for seed in range(PLANS):
        chance = np.random.default_rng(seed)
        page = f"/page-{seed}"
        earlier = []
        for _ in range(EARLIER):
            did = week(*some_plan(chance, page), page, chance)
            earlier.append(Counts(int(did["conversions"]), int(did["clicks"])))
        plan, size = some_plan(chance, page)
        began = time.perf_counter()
        said = said_before(plan, size, Past(tuple(earlier)), seed)
        took += time.perf_counter() - began
        did = week(plan, size, page, chance)
        for name in MEASURES:
            limits = getattr(said, name)
            inside[name] += within(limits, did[name])
            below[name] += did[name] < limits.low
    rows = []
    for name in MEASURES:
        limits = stats.binomtest(inside[name], PLANS).proportion_ci(method="wilson")
        share = f"{100 * inside[name] / PLANS:.1f} %"
        rows.append(
            [
                name.replace("_", " "),
                share,
                f"{100 * limits.low:.0f} to {100 * limits.high:.0f} %",
                below[name],
                PLANS - inside[name] - below[name],
            ]
        )
    head = [f"The weeks of {PLANS} plans", "in the 90 % range", "Wilson, 95 %", "below", "above"]
    table(head, rows)
    print(f"A forecast took {1000 * took / PLANS:.0f} ms on average.")


if __name__ == "__main__":
    main()
