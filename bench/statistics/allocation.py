"""How often the advice on the next euro is wrong: places alike in truth, places that differ, returns that fall (SITES, 400).

Advised: on how many of the sites a move is advised. Harms: of those, how many would bring less than before, in truth; and
of all sites. Holds: how often the interval of 95 % holds what the move would bring in truth, of the best move whether or
not it is sure enough to be advised, and of those advised. Said and comes: the mean gain of the advised, in parts of the money moved.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from bench.common import table
from clabo.core.evidence import Spread, ValueSums
from clabo.core.money.allocation import Move, Spent, best_move

SITES = int(os.environ.get("SITES", "400"))
# Fixed before the method was chosen.
SEED = 20261201
DAYS, EACH = 56, 50.0


@dataclass(frozen=True)
class World:
    """`value(i, spend)` is what place i brings of a spend over the days, in truth."""

    spends: np.ndarray
    value: Callable[[int, float], float]


def worlds(places: int, differ: float, response: str) -> Callable[[np.random.Generator], World]:
    def drawn(chance: np.random.Generator) -> World:
        spends = 1500 * chance.lognormal(-0.32, 0.8, places)
        level = chance.lognormal(-differ * differ / 2, differ, places)
        powers = chance.uniform(0.5, 0.9, places)
        reach = chance.lognormal(0.0, 0.7, places)

        def value(i: int, spend: float) -> float:
            part = spend / spends[i]
            if response == "power":
                return float(level[i] * spends[i] * part ** powers[i])
            if response == "saturates":
                return float(level[i] * spends[i] * np.expm1(-part * reach[i]) / np.expm1(-reach[i]))
            return float(level[i] * spend)

        return World(spends, value)

    return drawn


def seen(world: World, chance: np.random.Generator, sigma: float, busy: float) -> list[Spent]:
    """What a site shows of a world: days whose spend varies by weeks, conversions that vary `busy` times a Poisson's."""
    rows, values = [], []
    for i, spend in enumerate(world.spends):
        weeks = np.repeat(chance.lognormal(0, 0.15, DAYS // 7), 7)
        by_day = spend * weeks / weeks.sum()
        expected = np.array([world.value(i, s * DAYS) / DAYS / EACH for s in by_day])
        if busy > 1:
            expected = expected * chance.gamma(1 / (busy - 1), busy - 1, DAYS)
        came = chance.poisson(expected)
        each = EACH * chance.lognormal(-sigma * sigma / 2, sigma, int(came.sum()))
        rows.append((spend, int(came.sum()), each, list(zip(came.tolist(), by_day.tolist(), strict=True))))
        values.append(ValueSums.of(each))
    spread = Spread.of(values, EACH)
    together = np.concatenate([each for *_, each, _ in rows])
    return [
        Spent(
            spend,
            n,
            float(each.mean()) if n else float(together.mean()) if len(together) else 0.0,
            spread.relative_variance,
            days,
        )
        for spend, n, each, days in rows
    ]


def gain(world: World, move: Move) -> float:
    take, give = world.spends[move.take], world.spends[move.give]
    return (
        world.value(move.take, take + move.amount)
        - world.value(move.take, take)
        - world.value(move.give, give)
        + world.value(move.give, max(0.0, give - move.amount))
    )


def main() -> None:
    chance = np.random.default_rng(SEED)
    rows: list[list[object]] = []
    for name, places, differ, response, sigma, busy in [
        ("8 alike", 8, 0.0, "linear", 1.0, 1.0),
        ("8 alike, all worth the same", 8, 0.0, "linear", 0.0, 1.0),
        ("30 alike", 30, 0.0, "linear", 1.0, 1.0),
        ("30 alike, σ 1.5", 30, 0.0, "linear", 1.5, 1.0),
        ("8 alike, days vary", 8, 0.0, "linear", 1.0, 1.5),
        ("8 that differ by 30 %", 8, 0.3, "linear", 1.0, 1.0),
        ("30 that differ by 60 %", 30, 0.6, "linear", 1.0, 1.0),
        ("8 alike, returns fall", 8, 0.0, "power", 1.0, 1.0),
        ("8 that differ by 30 %, returns fall", 8, 0.3, "power", 1.0, 1.0),
        ("30 that differ by 60 %, returns fall", 30, 0.6, "power", 1.0, 1.0),
        ("8 that differ by 30 %, saturated", 8, 0.3, "saturates", 1.0, 1.0),
        ("30 that differ by 60 %, saturated", 30, 0.6, "saturates", 1.0, 1.0),
    ]:
        draw = worlds(places, differ, response)
        advised = harms = holds = holds_advised = 0
        said: list[float] = []
        comes: list[float] = []
        for _ in range(SITES):
            world = draw(chance)
            rows_seen = seen(world, chance, sigma, busy)
            any_move = best_move(rows_seen, least_sure=0.0)
            move = best_move(rows_seen)
            if any_move:
                holds += any_move.gain.low <= gain(world, any_move) <= any_move.gain.high
            if move:
                true = gain(world, move)
                advised += 1
                harms += true < -1e-9
                holds_advised += move.gain.low <= true <= move.gain.high
                said.append(move.gain.estimate / move.amount)
                comes.append(true / move.amount)
        rows.append(
            [
                name,
                f"{advised / SITES:.1%}",
                f"{harms / advised:.1%}" if advised else "–",
                f"{harms / SITES:.1%}",
                f"{holds / SITES:.1%}",
                f"{holds_advised / advised:.1%}" if advised else "–",
                f"{np.mean(said):+.2f}" if said else "–",
                f"{np.mean(comes):+.2f}" if comes else "–",
            ]
        )
    table(
        ["sites", "advised", "of these harm", "of all", "holds, any", "holds, advised", "said", "comes"], rows
    )


if __name__ == "__main__":
    main()
