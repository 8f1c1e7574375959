"""Adjusted readings looked at every day: how often they call a difference where there is none, and what they save."""

from __future__ import annotations

import math
import sys

import numpy as np

from bench.common import table
from clabo.core.evidence import Moments, adjusted, information, looks, saved, standard_error

COUNT, DAYS, A_DAY = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000, 28, 400
# Of who comes, and how many of a hundred of them convert: new on a phone, new on a desktop, been there, bought before.
MIX, RATES = np.array([0.45, 0.25, 0.2, 0.1]), np.array([0.015, 0.03, 0.06, 0.15])


def daily(chance: np.random.Generator, lift: float) -> tuple[np.ndarray, np.ndarray]:
    """Visitors and converted by arm, day and stratum, up to the end of each day."""
    came = chance.multinomial(A_DAY // 2, MIX, (2, DAYS))
    rates = np.stack([RATES, np.minimum(RATES * (1 + lift), 1)])[:, None, :]
    did = chance.binomial(came, rates)
    return came.cumsum(axis=1), did.cumsum(axis=1)


def moments(n: int, did: int) -> Moments:
    return Moments.of_sums(int(n), float(did), float(did))


def main() -> None:
    chance = np.random.default_rng(70_801)
    planned = information(A_DAY / 2 * DAYS, A_DAY / 2 * DAYS)
    rows: list[list[object]] = []
    for name, lift in (("no difference", 0.0), ("12 % more", 0.12)):
        called, gains, held = {"plain": 0, "adjusted": 0}, [], {"plain": 0, "adjusted": 0}
        truth = float((MIX * RATES).sum() * lift)
        for _ in range(COUNT if lift == 0 else COUNT // 10):
            came, did = daily(chance, lift)
            both: dict[str, list[list[Moments]]] = {"plain": [[], []], "adjusted": [[], []]}
            for d in range(DAYS):
                arms = [{s: moments(came[a, d, s], did[a, d, s]) for s in range(len(MIX))} for a in (0, 1)]
                for a, (plain, fair) in enumerate(
                    zip([sum(of.values(), Moments(0, 0.0, 0.0)) for of in arms], adjusted(arms), strict=True)
                ):
                    both["plain"][a].append(plain)
                    both["adjusted"][a].append(fair)
            for kind, (a, b) in both.items():
                looked = looks(a, b, planned, 0.95)
                called[kind] += any(x.interval.low > 0 or x.interval.high < 0 for x in looked)
                held[kind] += all(x.interval.low <= truth <= x.interval.high for x in looked)
            ends = {kind: standard_error(a[-1], b[-1]) for kind, (a, b) in both.items()}
            gains.append(saved(ends["plain"], ends["adjusted"]))
        runs = len(gains)
        for kind in called:
            share = called[kind] / runs
            error = 1.96 * math.sqrt(share * (1 - share) / runs)
            rows.append(
                [
                    f"{name}, {kind}",
                    f"{runs:,}",
                    f"{share * 100:.2f} ± {error * 100:.2f}",
                    f"{held[kind] / runs * 100:.2f}",
                    f"{np.mean(gains) * 100:.1f}" if kind == "adjusted" else "",
                ]
            )
        print(rows[-2:], flush=True)
    table(
        [
            "28 looks, 400 visitors a day",
            "tests",
            "called a difference, %",
            "true difference in every range, %",
            "visitors saved, %",
        ],
        rows,
    )


if __name__ == "__main__":
    main()
