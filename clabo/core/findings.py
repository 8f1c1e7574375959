"""What stands out among landing pages: what can be acted on, and what is too thin to judge.

A finding is made only where the evidence supports it: an interval must clear the bar it is held
against. The parts are returned, not prose; the interface words them.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

from clabo.core.evidence import Counts, Interval, is_thin, rate_interval
from clabo.core.evidence.proportions import THIN
from clabo.core.returns import break_even
from clabo.core.returns import profit as profit_of

Kind = Literal["loses_money", "earns", "converts_badly"]


@dataclass(frozen=True, slots=True)
class LandingPage:
    """One page as it is judged. `lost` is from `evidence.lost_conversions`; money in one currency."""

    counts: Counts
    revenue: Decimal
    spend: Decimal
    roas: Interval | None
    lost: float
    intended_exit: bool


@dataclass(frozen=True, slots=True)
class Finding:
    """Something about the page at `place` in the list. `profit` is value · margin - spend."""

    kind: Kind
    place: int
    profit: Decimal
    lost: float


@dataclass(frozen=True, slots=True)
class Nearest:
    """Of the pages too thin to judge the one at `place`, which needs the fewest `visits` more to be judged."""

    place: int
    visits: int


@dataclass(frozen=True, slots=True)
class Findings:
    """The findings, most money first; the pages' rate together; how many are too thin to judge, and the nearest to it."""

    found: list[Finding]
    together: float
    thin: int
    nearest: Nearest | None = None


def strongest(found: Sequence[Finding]) -> list[Finding]:
    """Of findings made apart, at most one of each kind: the one where it matters most."""
    best: dict[Kind, Finding] = {}
    for f in found:
        old = best.get(f.kind)
        if old is None or _weight(f) > _weight(old):
            best[f.kind] = f
    order: tuple[Kind, ...] = ("loses_money", "earns", "converts_badly")
    return [best[kind] for kind in order if kind in best]


def _weight(f: Finding) -> float:
    return f.lost if f.kind == "converts_badly" else abs(float(f.profit))


def findings(pages: Sequence[LandingPage], margin: Decimal | None = None) -> Findings:
    """At most one finding of each kind: the page where it matters most.

    Money is judged against break-even (1 / margin; definitions: "Money"), by the ROAS interval;
    conversion against the rate of all judged pages together, by the Wilson interval. Without a
    margin the whole value counts as earned.
    """
    bar = break_even(margin)
    judged = [p for p in pages if not p.intended_exit and p.counts.trials]
    whole = sum((p.counts for p in judged), Counts(0, 0))
    losing: list[Finding] = []
    earning: list[Finding] = []
    poor: list[Finding] = []
    for place, page in enumerate(pages):
        if page.intended_exit or not page.counts.trials:
            continue
        profit = profit_of(page.revenue, page.spend, margin)
        if page.roas is not None and page.roas.bounded and page.spend > 0:
            if page.roas.high < bar:
                losing.append(Finding("loses_money", place, profit, page.lost))
            elif page.roas.low > bar:
                earning.append(Finding("earns", place, profit, page.lost))
        rate = rate_interval(page.counts.conversions, page.counts.trials)
        if page.lost >= 1 and rate.high < whole.rate:
            poor.append(Finding("converts_badly", place, profit, page.lost))
    found = [min(losing, key=lambda f: f.profit)] if losing else []
    if earning:
        found.append(max(earning, key=lambda f: f.profit))
    named = {f.place for f in found}
    if rest := [f for f in poor if f.place not in named]:
        found.append(max(rest, key=lambda f: f.lost))
    thin = [
        (place, p.counts)
        for place, p in enumerate(pages)
        if not p.intended_exit and p.counts.trials and is_thin(p.counts.conversions, p.counts.trials)
    ]
    return Findings(found, whole.rate, len(thin), _nearest(thin, whole.rate))


def _nearest(thin: Sequence[tuple[int, Counts]], rate: float) -> Nearest | None:
    """If their further visits convert as those of all pages together: so many until both outcomes are frequent enough."""
    if not 0 < rate < 1:
        return None
    needed = [
        Nearest(
            place,
            math.ceil(max((THIN - c.conversions) / rate, (THIN - (c.trials - c.conversions)) / (1 - rate))),
        )
        for place, c in thin
    ]
    return min(needed, key=lambda n: n.visits, default=None)
