"""The smallest start-up count for values: 20,000 runs of the setting in which they cry wolf most often.

About eight minutes on one core.
"""

from __future__ import annotations

from bench.statistics.evidence import Setting, runs, share, show

COUNT, STARTS = 20_000, (20, 25, 30, 35, 40, 50, 60)


def main() -> None:
    setting = Setting("", 0.03, 0.03, 0.2, valued=True, planned=20_000)
    alarms = dict.fromkeys(STARTS, 0)
    for seed in (4001, 4002):
        for ratio, least, _ in runs(setting, COUNT // 2, seed):
            for start in STARTS:
                alarms[start] += int(((ratio > 1) & (least >= start)).any(axis=1).sum())
    show(
        f"False alarms of value per visitor, 3 % order, 80 : 20, {COUNT:,} runs (± 0.3 % at 5 %), by start-up count",
        [f"from {start}" for start in STARTS],
        [[share(alarms[start] / COUNT) for start in STARTS]],
    )


if __name__ == "__main__":
    main()
