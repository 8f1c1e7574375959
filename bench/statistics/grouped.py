"""Groups watched all the way: how often one is marked where none differs from the others, and where one does."""

from __future__ import annotations

import math
import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from bench.common import table
from clabo.core.evidence import Counts, group_effects

RUNS = int(sys.argv[1]) if len(sys.argv) > 1 else 20_000
VISITORS, LOOKS = 16_000, 160
# Ways of telling visitors apart, with the share of each group.
WAYS = {
    "device": [0.6, 0.3, 0.1],
    "channel": [0.4, 0.25, 0.15, 0.12, 0.08],
    "visits": [0.75, 0.25],
    "week": [0.5, 0.5],
}
RATE, LIFT = 0.04, 0.15


def marked(seed: int, runs: int, turned: float) -> tuple[int, int]:
    """Of so many tests, in how many some group was marked at any look, and in how many one that does not differ.

    The difference is the same everywhere, but for the first device's, of which `turned` is taken off.
    """
    chance = np.random.default_rng(seed)
    ever = wrong = 0
    for _ in range(runs):
        arm = chance.integers(0, 2, VISITORS)
        groups = {way: chance.choice(len(shares), VISITORS, p=shares) for way, shares in WAYS.items()}
        lift = LIFT - turned * (groups["device"] == 0)
        did = chance.random(VISITORS) < RATE * (1 + lift * arm)
        # How many had come, and had done it, of each group and arm by each look.
        steps = {way: np.zeros((LOOKS, len(shares), 2, 2), dtype=np.int64) for way, shares in WAYS.items()}
        look = np.arange(VISITORS) * LOOKS // VISITORS
        for way, of in groups.items():
            np.add.at(steps[way], (look, of, arm, 0), 1)
            np.add.at(steps[way], (look, of, arm, 1), did)
        so_far = {way: s.cumsum(axis=0) for way, s in steps.items()}
        any_yet = any_wrong = False
        for place in range(LOOKS):
            found = group_effects(
                {
                    way: {
                        g: (Counts(int(s[0, 1]), int(s[0, 0])), Counts(int(s[1, 1]), int(s[1, 0])))
                        for g, s in enumerate(of[place])
                    }
                    for way, of in so_far.items()
                },
                VISITORS,
            )
            at = {(way, g) for way, of in found.items() for g, e in of.items() if e.differs}
            any_yet |= bool(at)
            # Every device differs from the others together once one of them does.
            any_wrong |= any(not turned or way != "device" for way, _ in at)
        ever, wrong = ever + any_yet, wrong + any_wrong
    return ever, wrong


def main() -> None:
    rows: list[list[object]] = []
    with ProcessPoolExecutor(2) as both:
        for says, runs, turned in (
            ("every group's difference is 15 %", RUNS, 0.0),
            ("on the first device it is −25 % instead", RUNS // 20, 0.40),
            ("on the first device it is −45 % instead", RUNS // 20, 0.60),
        ):
            parts = list(both.map(marked, range(9_100, 9_120), [runs // 20] * 20, [turned] * 20))
            ever, wrong = (sum(of) / (runs // 20 * 20) for of in zip(*parts, strict=True))
            error = 1.96 * math.sqrt(wrong * (1 - wrong) / runs)
            rows.append([says, f"{runs:,}", f"{ever * 100:.2f}", f"{wrong * 100:.2f} ± {error * 100:.2f}"])
            print(rows[-1], flush=True)
    table(
        [
            f"12 groups of {VISITORS:,} visitors, 4 %, {LOOKS} looks",
            "tests",
            "some group marked, %",
            "wrongly, %",
        ],
        rows,
    )


if __name__ == "__main__":
    main()
