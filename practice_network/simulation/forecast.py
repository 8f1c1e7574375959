"""What a plan may do: practice weeks of it against the same competitors, all at once, each with people and chances of its own."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from practice_network.plans import Plan
from practice_network.simulation.auction import (
    BANDS,
    NEVER_CAME_DAYS,
    SEGMENT_RATES,
    SEGMENTS,
    USUAL_RATE,
    Floats,
    Learned,
    People,
    State,
    Terms,
    Whole,
    step,
)
from practice_network.simulation.population import place_of, population

# Of 39 runs and one more, the last lies between the second lowest and the second highest nine times of ten.
RUNS = 39
DAYS = 7
MOST_OFTEN = 10
# Of larger plans a part is tried, with the same part of the budget.
MOST_PEOPLE = 1_000
# Where it is the budget that ends a week, it costs as much whatever the number of clicks.
BOUND = 0.97
# How far apart the prices of clicks lie, against their mean.
PRICE_SPREAD = 0.6
# How good words and pages are is not known before they were shown: anywhere where it can be.
LOWEST, HIGHEST = 0.7, 1.4
PAGES = (0.6, 1.4)


@dataclass(frozen=True, slots=True)
class Size:
    """How many people of a line the network knows, and the days since they came (NEVER_CAME_DAYS: they never did)."""

    people: int
    days: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a practice week came to. `clicks` by creative; `often` as in running.Standing."""

    reached: int
    shown: int
    cost: float
    clicks: list[int]
    often: list[int]


def sizes_of(plan: Plan, people: list[int], out: list[bytes]) -> list[Size]:
    """Of each line, as its lists are (`people`), or as many new people as there are without those left out (`out`)."""
    found = []
    for line, size in zip(plan.lines, people, strict=True):
        if line.seek is None:
            found.append(Size(size, line.days))
        else:
            matching = population().matching(line.seek)
            n = len(matching) - int(np.isin(matching, [place_of(h) for h in out]).sum())
            found.append(Size(n, (NEVER_CAME_DAYS, NEVER_CAME_DAYS)))
    return found


def practise(plan: Plan, sizes: list[Size], seed: int, runs: int = RUNS, days: int = DAYS) -> list[Outcome]:
    """What comes of a plan in so many days, several times; it is shown to people of the usual kinds."""
    chance = np.random.default_rng(seed)
    lines, creatives, total = len(plan.lines), len(plan.creatives), sum(s.people for s in sizes)
    part = max(1.0, total / MOST_PEOPLE)
    tried = [round(s.people / part) for s in sizes]
    each = sum(tried)
    # Each line of each run is a line of one plan.
    line = np.tile(np.repeat(np.arange(lines), tried), runs) + np.repeat(np.arange(runs) * lines, each)
    ages = np.concatenate(
        [chance.uniform(s.days[0], max(s.days), (runs, n)) for s, n in zip(sizes, tried, strict=True)], axis=1
    ).ravel()
    seeds = chance.integers(0, 2**64, len(line), dtype=np.uint64)
    people = People.of_seeds(seeds, ages, line.astype(np.int64))
    share = np.array([one.share for one in plan.lines])
    quality = np.repeat(chance.uniform(LOWEST, HIGHEST, (runs, creatives)), lines, axis=0)
    terms = Terms(
        plan.highest_click,
        plan.daily_budget / part,
        plan.cap,
        quality,
        tuple(np.tile(share / share.sum(), runs)),
        tuple(c.share for c in plan.creatives),
        tuple(plan.placements),
        tuple(np.repeat(np.arange(runs), lines).tolist()) if plan.sharing == "shared" else (),
    )
    pools = 1 if terms.pools else lines
    state = State.fresh(len(people), runs * lines)
    shown, clicked = np.zeros((runs, creatives)), np.zeros((runs, creatives))
    cost, expected = np.zeros(runs), np.zeros((runs, creatives))
    learned = [Learned() for _ in range(runs)]
    # The page, too, is not known yet; what the network will hear of it it learns from.
    page = chance.uniform(*PAGES, runs)
    likely = USUAL_RATE * SEGMENT_RATES[:, None] * np.array([r for _, r in BANDS])[None, :]
    for _ in range(days):
        worth = np.repeat([of.worth() for of in learned], lines, axis=0)
        of_day = np.zeros((runs, SEGMENTS, len(BANDS)))
        for hour in range(24):
            found = step(people, terms, state, worth, hour, 1.0, chance, smooth=part > 1)
            run = people.line[found.person] // lines
            shown += found.shown.reshape(runs, lines, creatives).sum(axis=1)
            np.add.at(clicked, (run, found.creative), 1)
            expected += found.expected.reshape(runs, lines, creatives).sum(axis=1)
            of_day += found.expected_of.reshape(runs, lines, SEGMENTS, len(BANDS)).sum(axis=1)
        came = chance.poisson(of_day * part)
        for k, of in enumerate(learned):
            of.clicks += came[k]
            of.conversions += chance.binomial(came[k], np.minimum(0.9, likely * page[k]))
        cost += state.spent_today.reshape(runs, lines).sum(axis=1)
        state.next_day()
    seen, most = state.seen.reshape(runs, each), plan.daily_budget * days
    return [
        _outcome(
            seen[k], shown[k].sum(), cost[k], clicked[k], expected[k], part, total, most, days * pools, chance
        )
        for k in range(runs)
    ]


def _outcome(
    seen: Whole,
    shown: float,
    cost: float,
    clicked: Floats,
    expected: Floats,
    part: float,
    total: int,
    most: float,
    budgets: int,
    chance: np.random.Generator,
) -> Outcome:
    often = np.bincount(np.minimum(seen, MOST_OFTEN), minlength=MOST_OFTEN + 1) * part
    if part > 1:
        # As much chance as the clicks of the whole have, not as those of a part.
        clicked = chance.poisson(expected * part).astype(np.float64)
        cost *= part
        hoped = float(expected.sum()) * part
        if cost < BOUND * most and hoped:
            # So many clicks, of prices that lie apart (gamma).
            price, spread = cost / hoped, PRICE_SPREAD**2
            cost = min(most, float(chance.gamma(clicked.sum() / spread + 1e-9, price * spread)))
        elif hoped:
            # Of each day's budget what the next click would have cost too much is left.
            cost = max(0.0, cost - float(chance.uniform(0, cost / hoped, budgets).sum()))
    seen_so_often = [int(n) for n in often[1:]]
    reached = sum(seen_so_often)
    return Outcome(
        reached,
        round(shown * part),
        round(float(cost), 2),
        [int(n) for n in clicked],
        [total - reached, *seen_so_often],
    )
