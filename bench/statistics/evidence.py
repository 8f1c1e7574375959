"""How honest the evidence core is, by simulation with fixed seeds: coverage, false alarms, power.

Prints the tables that docs/evidence.md records. Takes about eight minutes on one core.
"""

from __future__ import annotations

import math
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy import stats

from clabo.core.evidence import (
    Counts,
    Interval,
    Moments,
    Spread,
    ValueSums,
    bootstrap_mean_difference,
    compare_means,
    compare_rates,
    days_needed,
    dispersion_of,
    fair_comparison,
    lost_conversions,
    plan_rate_test,
    rate_interval,
    rate_intervals,
    ratio_of_means,
    return_interval,
    sequential_cost,
)
from clabo.core.evidence.experiments.sequential import START_UP, START_UP_VALUES, half_widths
from clabo.core.evidence.proportions import difference_interval, ratio_interval

RATES = (0.002, 0.01, 0.03, 0.1, 0.5)
SIZES = (50, 500, 5_000, 100_000)
Floats = NDArray[np.float64]


def show(title: str, head: list[str], rows: list[list[str]]) -> None:
    print(f"\n### {title}\n\n| {' | '.join(head)} |\n|{'---|' * len(head)}")
    for row in rows:
        print(f"| {' | '.join(row)} |")
    sys.stdout.flush()


def share(x: float) -> str:
    return f"{100 * x:.1f} %"


# --- coverage ---------------------------------------------------------------------------------------


def wilson_coverage(rate: float, n: int) -> float:
    """Exact: the probability of all counts whose interval holds the rate."""
    spread = 12 * math.sqrt(n * rate * (1 - rate)) + 12
    counts = range(max(0, int(n * rate - spread)), min(n, int(n * rate + spread)) + 1)
    held = [x for x in counts if (i := rate_interval(x, n)).low <= rate <= i.high]
    return float(stats.binom.pmf(held, n, rate).sum())


def pair_coverage(
    interval: Callable[[Counts, Counts], Interval], truth: float, a: float, b: float, n: int, draws: int
) -> float:
    rng = np.random.default_rng(20261)
    pairs = np.stack([rng.binomial(n, a, draws), rng.binomial(n, b, draws)], axis=1)
    unique, times = np.unique(pairs, axis=0, return_counts=True)
    held = 0
    for (x, y), count in zip(unique.tolist(), times.tolist(), strict=True):
        found = interval(Counts(x, n), Counts(y, n))
        held += count * (found.low <= truth <= found.high)
    return held / draws


def coverage() -> None:
    show(
        "Coverage of 95 % intervals: one rate (Wilson, exact)",
        ["rate", *(f"n = {n:,}" for n in SIZES)],
        [[share(rate), *(share(wilson_coverage(rate, n)) for n in SIZES)] for rate in RATES],
    )
    for name, interval, truth, draws in (
        (
            "difference of two rates (Newcombe), the second 20 % higher",
            difference_interval,
            lambda a, b: b - a,
            4000,
        ),
        ("ratio of two rates (Koopman), the second 20 % higher", ratio_interval, lambda a, b: b / a, 1500),
    ):
        rows = []
        for rate in RATES:
            other = min(0.6, rate * 1.2)
            cells = [pair_coverage(interval, truth(rate, other), rate, other, n, draws) for n in SIZES]
            rows.append([share(rate), *map(share, cells)])
        show(
            f"Coverage of 95 % intervals: {name} ({draws:,} draws a cell)",
            ["rate", *(f"n = {n:,}" for n in SIZES)],
            rows,
        )
    show(
        "Coverage of 95 % intervals: means and ratios",
        ["interval", "setting", "draws", "coverage"],
        other_coverage(),
    )


def order_values(rng: np.random.Generator, n: int, rate: float) -> Floats:
    """Value of each visitor: mostly nothing, else a log-normal order of mean 59 with σ = 1."""
    return np.where(rng.random(n) < rate, rng.lognormal(math.log(59) - 0.5, 1.0, n), 0.0)


def other_coverage() -> list[list[str]]:
    rows = []
    rng = np.random.default_rng(7)
    for n, draws in ((500, 3000), (5_000, 2000)):
        held = sum(
            (
                i := compare_means(
                    Moments.of(order_values(rng, n, 0.03)), Moments.of(order_values(rng, n, 0.03))
                ).difference
            ).low
            <= 0
            <= i.high
            for _ in range(draws)
        )
        rows.append(
            ["Welch, value per visitor", f"3 % order, n = {n:,} an arm", f"{draws:,}", share(held / draws)]
        )
    draws = 300
    held = sum(
        (
            i := bootstrap_mean_difference(
                order_values(rng, 500, 0.03), order_values(rng, 500, 0.03), resamples=1000, seed=k
            )
        ).low
        <= 0
        <= i.high
        for k in range(draws)
    )
    rows.append(
        ["BCa bootstrap, value per visitor", "3 % order, n = 500 an arm", f"{draws}", share(held / draws)]
    )
    for days, draws in ((14, 5000), (28, 5000)):
        held = 0
        for _ in range(draws):
            spend = rng.normal(120, 30, days)
            found = ratio_of_means((spend * 2.2 + rng.normal(0, 80, days)).tolist(), spend.tolist())
            held += found.low <= 2.2 <= found.high
        rows.append(
            ["Fieller, ROAS", f"{days} days, spend and value vary", f"{draws:,}", share(held / draws)]
        )
    draws, held = 4000, 0
    for _ in range(draws):
        strata = {}
        for key, (n, m, base) in enumerate(((300, 900, 0.02), (800, 200, 0.05), (150, 150, 0.10))):
            strata[key] = (
                Counts(int(rng.binomial(n, base)), n),
                Counts(int(rng.binomial(m, base + 0.01)), m),
            )
        found = fair_comparison(strata).difference
        held += found.low <= 0.01 <= found.high
    rows.append(
        [
            "Mantel–Haenszel with Sato’s variance",
            "3 uneven strata, difference 1 point",
            f"{draws:,}",
            share(held / draws),
        ]
    )
    return rows


# --- the confidence sequence ------------------------------------------------------------------------


@dataclass(frozen=True)
class Setting:
    """A test that is watched after every visitor, for `length` times its planned visitors."""

    name: str
    rate: float
    challenger: float
    split: float = 0.5
    valued: bool = False
    planned: int = 0
    length: float = 2.0


def runs(setting: Setting, count: int, seed: int, chunk: int = 50) -> Iterator[tuple[Floats, Floats, Floats]]:
    """Per chunk: |difference| over half width at each visitor, the smallest count of converted or not
    in an arm, and whether the challenger leads. Shapes (chunk, visitors)."""
    n = int(setting.planned * setting.length)
    for number in range(0, count, chunk):
        rng = np.random.default_rng([seed, number])
        shape = (min(chunk, count - number), n)
        second = rng.random(shape, dtype=np.float32) < setting.split
        hit = rng.random(shape, dtype=np.float32) < np.where(second, setting.challenger, setting.rate)
        n1 = np.cumsum(second, axis=1, dtype=np.float64)
        n0 = np.arange(1, n + 1) - n1
        x1 = np.cumsum(hit & second, axis=1, dtype=np.float64)
        x0 = np.cumsum(hit & ~second, axis=1, dtype=np.float64)
        if setting.valued:
            value = np.where(hit, rng.lognormal(math.log(59) - 0.5, 1.0, shape), 0.0)
            s1, q1 = np.cumsum(value * second, axis=1), np.cumsum(value**2 * second, axis=1)
            s0, q0 = np.cumsum(value * ~second, axis=1), np.cumsum(value**2 * ~second, axis=1)
        else:
            s1, q1, s0, q0 = x1, x1, x0, x0
        with np.errstate(divide="ignore", invalid="ignore"):
            m0, m1 = s0 / n0, s1 / n1
            v0, v1 = (q0 - n0 * m0**2) / (n0 - 1), (q1 - n1 * m1**2) / (n1 - 1)
            total = np.arange(1, n + 1, dtype=float)[None, :].repeat(shape[0], 0)
            width = half_widths(total, np.maximum(0, total * (v0 / n0 + v1 / n1)), setting.planned)
            ratio = np.abs(m1 - m0) / width
        least = np.minimum(np.minimum(x0, n0 - x0), np.minimum(x1, n1 - x1))
        yield ratio, least, m1 - m0


STARTS = (2, 5, 10, 15, 20, 25, 30)


def false_alarms(count: int) -> None:
    settings = [
        Setting(f"{share(rate)}, split {split}", rate, rate, part, planned=20_000)
        for rate in (0.01, 0.03, 0.10)
        for split, part in (("50 : 50", 0.5), ("80 : 20", 0.2))
    ] + [
        Setting(f"value per visitor, {share(rate)} order, {split}", rate, rate, part, True, 20_000)
        for rate in (0.01, 0.03, 0.10)
        for split, part in (("50 : 50", 0.5), ("80 : 20", 0.2))
    ]
    rows = []
    for place, setting in enumerate(settings):
        alarms = dict.fromkeys(STARTS, 0)
        for ratio, least, _ in runs(setting, count, 100 + place):
            for start in STARTS:
                alarms[start] += int(((ratio > 1) & (least >= start)).any(axis=1).sum())
        rows.append([setting.name, *(share(alarms[s] / count) for s in STARTS)])
    error = 1.96 * math.sqrt(0.05 * 0.95 / count)
    show(
        f"False alarms in a whole run of 40,000 visitors, planned for 20,000, watched after every visitor "
        f"({count:,} runs each, ± {share(error)} at 5 %); by the start-up count, which is {START_UP} for rates and "
        f"{START_UP_VALUES} for values in Clabo",
        ["no true difference", *(f"from {s}" for s in STARTS)],
        rows,
    )


def peeking(count: int) -> None:
    rows = []
    for rate, days in ((0.03, 14), (0.03, 28), (0.03, 56), (0.10, 28)):
        rng = np.random.default_rng(3)
        a_day = 350
        n = np.arange(1, days + 1) * a_day
        x, y = (np.cumsum(rng.binomial(a_day, rate, (count, days)), axis=1) for _ in range(2))
        pooled = (x + y) / (2 * n)
        with np.errstate(divide="ignore", invalid="ignore"):
            z = np.abs(x - y) / n / np.sqrt(pooled * (1 - pooled) * 2 / n)
            width = half_widths(
                2 * n + 0 * x,
                2 * n * ((x / n) * (1 - x / n) + (y / n) * (1 - y / n)) / (n - 1),
                2 * a_day * 28,
            )
        plain = (z > stats.norm.isf(0.025)).any(axis=1).mean()
        honest = ((np.abs(x - y) / n > width) & (np.minimum(x, y) >= START_UP)).any(axis=1).mean()
        rows.append([f"{share(rate)}, {days} days", share(plain), share(honest)])
    show(
        f"Wolf cried by looking once a day, 700 visitors a day, no true difference ({count:,} runs)",
        ["test", "plain p < 0.05", "Clabo’s range"],
        rows,
    )


def power(count: int) -> None:
    rows = []
    for rate, lift in ((0.03, 0.2), (0.05, 0.2), (0.10, 0.15)):
        plan = plan_rate_test(rate, lift)
        for truth in (lift, 1.5 * lift, 2 * lift):
            setting = Setting("", rate, rate * (1 + truth), planned=plan.total, length=2.5)
            decided: list[int] = []
            for ratio, least, gap in runs(setting, count, 900, chunk=25):
                won = (ratio > 1) & (least >= START_UP) & (gap > 0)
                first = np.where(won.any(axis=1), won.argmax(axis=1) + 1, setting.planned * 10**6)
                decided += first.tolist()
            at = np.array(decided)
            by = [share(float((at <= plan.total * k).mean())) for k in (0.5, 1, sequential_cost(plan), 2.5)]
            stopped = np.minimum(at, plan.total * 2.5).mean() / plan.total
            fixed = stats.norm.sf(
                stats.norm.isf(0.025)
                - rate
                * truth
                / math.sqrt(
                    (rate * (1 - rate) + rate * (1 + truth) * (1 - rate * (1 + truth))) / plan.per_arm[0]
                )
            )
            rows.append(
                [
                    f"{share(rate)}, planned for + {lift:.0%}",
                    f"+ {truth:.0%}",
                    f"{plan.total:,}",
                    share(fixed),
                    *by,
                    f"{stopped:.2f}×",
                ]
            )
    show(
        f"Power, and when it stops ({count:,} runs each)",
        [
            *("test", "true lift", "planned visitors", "power of the fixed-sample test at the plan"),
            *(
                "decided by half the plan",
                "by the plan",
                "by the honest figure",
                "by 2.5× the plan",
                "mean stop, of plan",
            ),
        ],
        rows,
    )


def timings() -> None:
    """What a table of 500 rows takes; over 50 ms a method is written vectorised."""
    rng = np.random.default_rng(1)
    trials = rng.integers(20, 20_000, 500)
    hits = rng.binomial(trials, 0.03)
    counts = [Counts(int(x), int(n)) for x, n in zip(hits, trials, strict=True)]
    days = [(rng.normal(200, 60, 28).tolist(), rng.normal(90, 20, 28).tolist()) for _ in range(500)]
    rows = []
    for name, work in (
        ("rate_intervals, all at once", lambda: rate_intervals(hits, trials)),
        ("rate_interval, one by one", lambda: [rate_interval(c.conversions, c.trials) for c in counts]),
        (
            "compare_rates, one pair at a time (a page compares one)",
            lambda: [compare_rates(Counts(600, 20_000), c) for c in counts],
        ),
        ("ratio_of_means over 28 days, one by one", lambda: [ratio_of_means(x, y) for x, y in days]),
        ("lost_conversions (empirical Bayes over all)", lambda: lost_conversions(counts)),
    ):
        best = math.inf
        for _ in range(3):
            began = time.perf_counter()
            work()
            best = min(best, time.perf_counter() - began)
        rows.append([name, f"{best * 1000:.0f} ms"])
    show("A table of 500 rows (best of 3)", ["method", "time"], rows)


def few_conversions(draws: int) -> None:
    """How often a page is taken to return surely less, or surely more, than it does."""
    rng = np.random.default_rng(20)
    rows: list[list[object]] = []
    for mean in (0.5, 2, 4, 8, 20, 40, 100):
        for says, varies, uneven in (
            ("one value, Poisson", False, False),
            ("values vary (CV 0.66)", True, False),
            ("days vary (CV 0.7)", False, True),
        ):
            wrong = np.zeros((2, 2))
            for _ in range(draws):
                spend = rng.gamma(4, 10, 28)
                share_of_day = spend / spend.sum()
                counts = rng.poisson(mean * share_of_day * (rng.gamma(2, 0.5, 28) if uneven else 1.0))
                # Mean 50 either way.
                orders = [rng.lognormal(-0.18, 0.6, c) * 50 if varies else np.full(c, 50.0) for c in counts]
                value = [float(of_day.sum()) for of_day in orders]
                sums = ValueSums.of(np.concatenate(orders))
                others = (
                    [ValueSums.of(rng.lognormal(-0.18, 0.6, 20) * 50) for _ in range(5)] if varies else []
                )
                daily = [list(zip(map(len, orders), spend.tolist(), strict=True))]
                spread = Spread.of([sums, *others], 50.0, not varies, dispersion_of(daily))
                truth = mean * 50 / spend.sum()
                for k, found in enumerate(
                    (
                        ratio_of_means(value, spend.tolist()),
                        return_interval(sums, float(spend.sum()), spread),
                    )
                ):
                    wrong[k] += (truth > found.high, truth < found.low)
            rows.append([f"{mean:g}", says, *(share(w / draws) for w in wrong.flatten())])
    show(
        f"A page's return over 28 days, wrongly called surely lower or higher than it is ({draws:,} draws)",
        [
            "conversions expected",
            "setting",
            "Fieller alone: lower",
            "higher",
            "as Clabo reads it: lower",
            "higher",
        ],
        rows,
    )


def main() -> None:
    began = time.perf_counter()
    timings()
    coverage()
    peeking(20_000)
    false_alarms(4_000)
    power(400)
    few_conversions(2_000)
    print(
        f"\n{days_needed(plan_rate_test(0.03, 0.2), 700)} days for 3 % and + 20 % at 700 visitors a day, for scale."
    )
    print(f"{time.perf_counter() - began:.0f} s in all.")


if __name__ == "__main__":
    main()
