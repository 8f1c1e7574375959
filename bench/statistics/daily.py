"""The day's reading by simulation on fixed seeds: false alarms watched after every visitor, power, and when it stops.

Prints tables that docs/evidence.md records. `RUNS` (20,000) tests for each row of the first; about ten minutes.
"""

from __future__ import annotations

import math
import os
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from bench.statistics.evidence import share, show
from clabo.core.evidence import daily_cost, plan_rate_test
from clabo.core.evidence.experiments.daily import (
    LEAST_STEP,
    between_level,
    bounds,
    information,
    looks_level,
)
from clabo.core.evidence.experiments.sequential import START_UP, START_UP_VALUES, half_widths

Floats = NDArray[np.float64]
RUNS = int(os.environ.get("RUNS", "20000"))
LEVEL = 0.95
DAYS = 28
# Within so many visitors each arm gets its share exactly, so that runs of a chunk have their looks at the same information.
BLOCK = 10


@dataclass(frozen=True)
class Setting:
    """A test of `planned` visitors on `days` uneven days, then watched on for `length` times the plan."""

    name: str
    rate: float
    challenger: float
    part: float = 0.5
    valued: bool = False
    planned: int = 8_000
    days: int = DAYS
    length: float = 2.0
    arms: int = 2
    block: int = BLOCK
    # Of the logarithms of values.
    sigma: float = 1.0


@dataclass(frozen=True)
class Chunk:
    """Some runs: the standardised difference and the sequence's ratio after every visitor, whether there is enough of
    each kind to be read, and the days' ends with their information."""

    z: Floats
    ratio: Floats
    # The same of a sequence that has all of the level.
    alone: Floats
    started: NDArray[np.bool_]
    ends: NDArray[np.int64]
    times: Floats


def chunks(setting: Setting, count: int, seed: int, size: int = 50) -> Iterator[Chunk]:
    n = int(setting.planned * setting.length)
    level = 1 - (1 - LEVEL) / (setting.arms - 1)
    block = setting.block
    second_in_block = np.arange(block) < round(block * setting.part)
    for number in range(0, count, size):
        rng = np.random.default_rng([seed, number])
        shape = (min(size, count - number), n)
        blocks = rng.permuted(np.tile(second_in_block, (shape[0] * math.ceil(n / block), 1)), axis=1)
        second = blocks.reshape(shape[0], -1)[:, :n]
        hit = rng.random(shape, dtype=np.float32) < np.where(second, setting.challenger, setting.rate)
        n1 = np.cumsum(second, axis=1, dtype=np.float64)
        total = np.arange(1, n + 1, dtype=float)
        n0 = total - n1
        x1 = np.cumsum(hit & second, axis=1, dtype=np.float64)
        x0 = np.cumsum(hit & ~second, axis=1, dtype=np.float64)
        s1, q1, s0, q0 = x1, x1, x0, x0
        if setting.valued:
            value = np.where(
                hit, rng.lognormal(math.log(59) - setting.sigma**2 / 2, setting.sigma, shape), 0.0
            )
            s1, q1 = np.cumsum(value * second, axis=1), np.cumsum(value**2 * second, axis=1)
            s0, q0 = np.cumsum(value * ~second, axis=1), np.cumsum(value**2 * ~second, axis=1)
        with np.errstate(divide="ignore", invalid="ignore"):
            m0, m1 = s0 / n0, s1 / n1
            v0, v1 = (q0 - n0 * m0**2) / (n0 - 1), (q1 - n1 * m1**2) / (n1 - 1)
            error = np.maximum(0, v0 / n0 + v1 / n1)
            mean = (s0 + s1) / total
            together = (q0 + q1 - total * mean**2) / (total - 1) * (1 / n0 + 1 / n1)
            error = np.maximum(error, together)
            z = (m1 - m0) / np.sqrt(error)
            both, alone = (
                np.abs(m1 - m0)
                / half_widths(np.broadcast_to(total, shape), total * error, setting.planned, at)
                for at in (between_level(level), level)
            )
        least = np.minimum(np.minimum(x0, n0 - x0), np.minimum(x1, n1 - x1))
        weights = rng.dirichlet(np.full(setting.days, 3.0)).cumsum()
        ends = np.unique(np.maximum(1, np.round(weights * setting.planned / block)).astype(int)) * block
        part = setting.part
        plan = information(setting.planned * (1 - part), setting.planned * part)
        times = np.array([information(e * (1 - part), e * part) for e in ends]) / plan
        start = START_UP_VALUES if setting.valued else START_UP
        yield Chunk(z, both, alone, least >= start, ends, times)


def looked(chunk: Chunk, level: float) -> NDArray[np.int64]:
    """At which visitor a look at a day's end first crosses, for each run; a very large number for never."""
    runs = len(chunk.z)
    first = np.full(runs, 10**9)
    for run in range(runs):
        # Days before the start-up are no looks, so that runs differ in which days are.
        times, at = [], []
        for end, time in zip(chunk.ends, chunk.times, strict=True):
            if chunk.started[run, end - 1] and time - (times[-1] if times else 0.0) >= LEAST_STEP:
                times.append(float(time))
                at.append(int(end))
        edges = bounds(times, 1 - looks_level(level))
        for end, edge in zip(at, edges, strict=True):
            if abs(chunk.z[run, end - 1]) > edge:
                first[run] = end
                break
    return first


def watched(chunk: Chunk) -> NDArray[np.int64]:
    """The same for the sequence, after every visitor."""
    crossed = (chunk.ratio > 1) & chunk.started
    return np.where(crossed.any(axis=1), crossed.argmax(axis=1) + 1, 10**9)


def false_alarms() -> None:
    settings = [
        Setting(f"{share(rate)}, split {split}", rate, rate, part)
        for rate in (0.01, 0.03, 0.10)
        for split, part in (("50 : 50", 0.5), ("80 : 20", 0.2))
    ] + [
        Setting(f"value per visitor, {share(rate)} order, {split}", rate, rate, part, True)
        for rate in (0.03, 0.10)
        for split, part in (("50 : 50", 0.5), ("80 : 20", 0.2))
    ]
    rows = []
    for place, setting in enumerate(settings):
        counts = np.zeros(3)
        for chunk in chunks(setting, RUNS, 500 + place):
            looks, sequence = looked(chunk, LEVEL) < 10**9, watched(chunk) < 10**9
            counts += looks.sum(), sequence.sum(), (looks | sequence).sum()
        rows.append([setting.name, *(share(c / RUNS) for c in counts)])
    error = 1.96 * math.sqrt(0.05 * 0.95 / RUNS)
    show(
        f"False alarms of the day's reading over twice a plan of 8,000 visitors on {DAYS} uneven days, watched after every "
        f"visitor ({RUNS:,} runs each, ± {share(error)} at 5 %)",
        ["no true difference", "a look at midnight", "the sequence between", "either"],
        rows,
    )


def power(count: int) -> None:
    rows = []
    for rate, lift in ((0.03, 0.2), (0.05, 0.2), (0.10, 0.15)):
        plan = plan_rate_test(rate, lift)
        planned = math.ceil(plan.total * daily_cost(plan) / BLOCK) * BLOCK
        for truth in (lift, 1.5 * lift, 0.0):
            setting = Setting("", rate, rate * (1 + truth), planned=planned, length=1.0)
            stops, single, naive, sequence = [], 0, 0, 0
            for chunk in chunks(setting, count, 800, size=25):
                stop = np.minimum(looked(chunk, LEVEL), watched(chunk))
                stops += stop.tolist()
                single += int((np.abs(chunk.z[:, plan.total - 1]) > stats.norm.isf(0.025)).sum())
                at_days = np.abs(chunk.z[:, chunk.ends - 1])
                naive += int(
                    (np.nan_to_num(at_days, nan=0, posinf=0) > stats.norm.isf(0.025)).any(axis=1).sum()
                )
                sequence += int(((chunk.alone > 1) & chunk.started).any(axis=1).sum())
            at = np.array(stops)
            rows.append(
                [
                    f"{share(rate)}, planned for + {lift:.0%}",
                    f"+ {truth:.0%}" if truth else "none",
                    f"{plan.total:,}",
                    *(share(c / count) for c in (single, naive, sequence)),
                    share(float((at < 10**9).mean())),
                    f"{np.minimum(at, planned).mean() / plan.total:.2f}×",
                ]
            )
    show(
        f"What is found by the planned end, {DAYS} uneven days, {count:,} runs each: the day's reading beside others",
        [
            *("test", "true lift", "visitors of a single look"),
            *("a single look", "plain p < 0.05 every day", "the sequence alone", "the day's reading"),
            "its mean visitors, of a single look's",
        ],
        rows,
    )


def unequal(runs: int) -> None:
    """Values of heavy tails where the challenger has few visitors."""
    rows = []
    for place, (part, rate, sigma) in enumerate(
        (part, rate, sigma) for part in (0.05, 0.1) for rate in (0.03, 0.1) for sigma in (1.0, 1.5)
    ):
        setting = Setting("", rate, rate, part, True, block=20, sigma=sigma)
        counts = np.zeros(2)
        for chunk in chunks(setting, runs, 900 + place):
            looks, sequence = looked(chunk, LEVEL) < 10**9, watched(chunk) < 10**9
            counts += sequence.sum(), (looks | sequence).sum()
        name = f"{share(rate)} order, σ {sigma:g}, {1 - part:.0%} : {part:.0%}"
        rows.append([name, *(share(c / runs) for c in counts)])
    show(
        f"Value per visitor with unequal shares and heavy tails, no true difference ({runs:,} runs each)",
        ["test", "the sequence between looks (level 0.5 %)", "with the looks (level 5 %)"],
        rows,
    )


if __name__ == "__main__":
    if os.environ.get("ONLY") != "unequal":
        false_alarms()
    unequal(int(os.environ.get("UNEQUAL_RUNS", "4000")))
    if os.environ.get("ONLY") == "unequal":
        raise SystemExit
    power(int(os.environ.get("POWER_RUNS", "2000")))
