"""How often a plan's week falls into what was said of it before: 200 seeded plans, each with a past of its own.

`plans` as most are written, with one line; then 200 with several lines, places and a budget that may move between them.
"""

from __future__ import annotations

import time
from dataclasses import replace
from datetime import date

import numpy as np
from scipy import stats

from bench.common import table  # sets Django up first
from clabo.core.evidence import Counts
from clabo.core.plans import Outlook, Past, Practice, Range, Worth, outlook
from practice_network.plans import Creative, Line, Plan
from practice_network.simulation.auction import (
    PLACEMENTS,
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
from practice_network.simulation.sharing import Tally, What, next_move

PLANS, EARLIER = 200, 6
WINDOWS = ((0, 3), (0, 7), (0, 21), (7, 30), (14, 45))
MEASURES = ("reached", "shown", "cost", "clicks", "conversions", "cost_of_one", "roas")
WORTH = Worth(62.0, 18.0)
WHATS: tuple[What, ...] = ("line", "creative")


def some_plan(chance: np.random.Generator, page: str, wide: bool = False) -> tuple[Plan, list[Size]]:
    """A plan as somebody may write it, for people of one window or, if `wide`, of several."""
    windows = [WINDOWS[n] for n in chance.integers(len(WINDOWS), size=chance.integers(2, 4) if wide else 1)]
    creatives = [
        Creative(
            f"c{n}",
            f"words {chance.integers(10**12)}",
            "",
            "",
            f"https://shop.example{page}",
            share=float(chance.uniform(0.5, 2)) if wide else 1.0,
        )
        for n in range(chance.integers(1, 4))
    ]
    lines = [
        Line(
            f"l{n}",
            ["x"],
            days=(float(first), float(last)),
            share=float(chance.uniform(0.5, 2)) if wide else 1.0,
        )
        for n, (first, last) in enumerate(windows)
    ]
    plan = Plan(
        "c",
        lines,
        [],
        float(chance.uniform(0.35, 1.5)),
        float(chance.uniform(4, 40)),
        int(chance.choice([0, 2, 3, 5])),
        date(2026, 11, 2),
        None,
        creatives,
    )
    if wide:
        places = [p for p in PLACEMENTS if chance.random() < 0.7] or list(PLACEMENTS)
        plan = replace(plan, placements=places, sharing="shared" if chance.random() < 0.5 else "fixed")
    sizes = [
        Size(int(np.exp(chance.uniform(np.log(300), np.log(6000)))), (float(first), float(last)))
        for first, last in windows
    ]
    return plan, sizes


def week(plan: Plan, sizes: list[Size], page: str, chance: np.random.Generator) -> dict[str, float]:
    """What the network does with it, told of each day's conversions at its end."""
    total, lines, creatives = sum(s.people for s in sizes), len(sizes), len(plan.creatives)
    seeds = chance.integers(0, 2**64, total, dtype=np.uint64)
    ages = np.concatenate([chance.uniform(*s.days, s.people) for s in sizes])
    people = People.of_seeds(seeds, ages, np.repeat(np.arange(lines), [s.people for s in sizes]))
    state, learned = State.fresh(total, lines), Learned()
    found = dict.fromkeys(("shown", "cost", "clicks", "conversions"), 0.0)
    shares: dict[What, dict[str, float]] = {
        "line": _as_parts({one.id: one.share for one in plan.lines}),
        "creative": _as_parts({one.id: one.share for one in plan.creatives}),
    }
    # What was put in (money, or thousands of times shown) and how many conversions came of it.
    efforts = {"line": np.zeros(lines), "creative": np.zeros(creatives)}
    came = {"line": np.zeros(lines, int), "creative": np.zeros(creatives, int)}
    for day in range(DAYS):
        for what in WHATS if day and plan.sharing == "shared" else ():
            of = shares[what]
            told = {name: Tally(float(efforts[what][n]), int(came[what][n])) for n, name in enumerate(of)}
            if move := next_move(plan.first, what, told, of):
                of[move.source] -= move.share
                of[move.target] += move.share
        terms = Terms(
            plan.highest_click,
            plan.daily_budget,
            plan.cap,
            tuple(c.quality for c in plan.creatives),
            tuple(shares["line"].values()),
            tuple(shares["creative"].values()),
            tuple(plan.placements),
            (0,) * lines if plan.sharing == "shared" else (),
        )
        worth = learned.worth()
        for hour in range(24):
            happened = step(people, terms, state, worth, hour, 1.0, chance)
            rates = conversion_rates(people, happened.person, USUAL_RATE, quality_of(page))
            through = chance.random(len(rates)) < rates
            place = people.segment[happened.person], band_of(people.days[happened.person])
            np.add.at(learned.clicks, place, 1)
            np.add.at(learned.conversions, place, through)
            np.add.at(efforts["line"], people.line[happened.person], happened.price)
            efforts["creative"] += happened.shown.sum(axis=0) / 1000
            np.add.at(came["line"], people.line[happened.person], through)
            np.add.at(came["creative"], happened.creative, through)
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


def _as_parts(shares: dict[str, float]) -> dict[str, float]:
    total = sum(shares.values())
    return {name: share / total for name, share in shares.items()}


def said_before(plan: Plan, sizes: list[Size], past: Past, seed: int) -> Outlook:
    """What is said of a plan while it is written."""
    weeks = [Practice(w.reached, w.shown, w.cost, tuple(w.clicks)) for w in practise(plan, sizes, seed)]
    return outlook(weeks, [past] * len(plan.creatives), WORTH, seed)


def within(of: Range, value: float) -> bool:
    """Whether it lies between the limits, both included."""
    return of.low - 1e-9 <= value <= of.high + 1e-9


def main() -> None:
    """Print both tables."""
    _table(0, wide=False)
    _table(50_000, wide=True)


def _table(first: int, wide: bool) -> None:
    inside = dict.fromkeys(MEASURES, 0)
    below = dict.fromkeys(MEASURES, 0)
    took = 0.0
    for seed in range(first, first + PLANS):
        chance = np.random.default_rng(seed)
        page = f"/page-{seed}"
        earlier = []
        for _ in range(EARLIER):
            did = week(*some_plan(chance, page, wide), page, chance)
            earlier.append(Counts(int(did["conversions"]), int(did["clicks"])))
        plan, sizes = some_plan(chance, page, wide)
        began = time.perf_counter()
        said = said_before(plan, sizes, Past(tuple(earlier)), seed)
        took += time.perf_counter() - began
        did = week(plan, sizes, page, chance)
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
    which = "several lines, places, a budget that may move" if wide else "one line"
    head = [f"The weeks of {PLANS} plans ({which})", "in the 90 % range", "Wilson, 95 %", "below", "above"]
    table(head, rows)
    print(f"A forecast took {1000 * took / PLANS:.0f} ms on average.")


if __name__ == "__main__":
    main()
