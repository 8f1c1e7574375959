"""What stands out among landing pages: what can be acted on, and what is too thin to judge.

A finding is made only where chance alone would hardly ever bring it, whatever the number of pages and however often
somebody looks. The parts are returned, not prose; the interface words them.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import partial
from typing import Literal, get_args

import scipy

from clabo.core.evidence import Counts, Spread, ValueSums, chance_of_less, chance_of_more, is_thin
from clabo.core.evidence.proportions import THIN
from clabo.core.money.returns import break_even
from clabo.core.money.returns import profit as profit_of

Kind = Literal["loses_money", "earns", "converts_badly"]
KINDS: tuple[Kind, ...] = get_args(Kind)
# On how many sites where there is nothing to find a finding of a kind is made in a month of daily looks, at most.
ERROR, LOOKS = 0.05, 30
# What has been said once is said until chance alone brings it more often than that, and gives way only to another of its
# kind that matters so many times as much.
HELD, GIVES_WAY = 0.05, 2.0


@dataclass(frozen=True, slots=True)
class Returned:
    """What the evidence of a page's return is: what its conversions brought, and how much values differ on the site."""

    sums: ValueSums
    spread: Spread


@dataclass(frozen=True, slots=True)
class LandingPage:
    """One page as it is judged. `lost` is from `evidence.lost_conversions`; money in one currency."""

    counts: Counts
    revenue: Decimal
    spend: Decimal
    returned: Returned | None
    lost: float
    intended_exit: bool


@dataclass(frozen=True, slots=True)
class Finding:
    """Something about the page at `place` in the list. `profit` is value · margin - spend; `said`: it was said before."""

    kind: Kind
    place: int
    profit: Decimal
    lost: float
    said: bool = False


@dataclass(frozen=True, slots=True)
class Nearest:
    """Of the pages too thin to judge the one at `place`, which needs the fewest `visits` more to be judged."""

    place: int
    visits: int


@dataclass(frozen=True, slots=True)
class Findings:
    """The findings, most money first; the pages' rate together; how many are too thin to judge, and the nearest to it.

    `holding`: kind and place of all that holds, shown or not.
    """

    found: list[Finding]
    together: float
    thin: int
    nearest: Nearest | None = None
    holding: frozenset[tuple[Kind, int]] = frozenset()


def strongest(found: Sequence[Finding]) -> list[Finding]:
    """Of findings made apart, at most one of each kind: the one where it matters most."""
    best: dict[Kind, Finding] = {}
    for f in found:
        old = best.get(f.kind)
        if old is None or _weight(f) > _weight(old):
            best[f.kind] = f
    return [best[kind] for kind in KINDS if kind in best]


def _weight(f: Finding) -> float:
    matters = f.lost if f.kind == "converts_badly" else abs(float(f.profit))
    return matters * (GIVES_WAY if f.said else 1.0)


def findings(
    pages: Sequence[LandingPage],
    margin: Decimal | None = None,
    among: int = 0,
    said: Collection[tuple[Kind, int]] = (),
) -> Findings:
    """At most one finding of each kind: the page where it matters most.

    Money is judged against break-even (1 / margin; definitions: "Money"), by the limits of `evidence.expected_total`;
    conversion against that of all other judged pages together, by the exact conditional test (hypergeometric; Fisher,
    1935). Without a margin the whole value counts as earned.

    Each page is judged at ERROR / (LOOKS · judged pages): by Bonferroni's inequality a kind of finding is made wrongly on
    at most a share ERROR of sites in LOOKS looks, whatever the pages have in common and however looks overlap. `among`: of how many pages these are
    a part, where the strongest of several such calls are shown together. `said`: kind and place of what was said before;
    it goes on while chance would bring it no more often than HELD, so that a finding does not come and go with each day.
    """
    bar = break_even(margin)
    judged = [p for p in pages if not p.intended_exit and p.counts.trials]
    whole = sum((p.counts for p in judged), Counts(0, 0))
    level = ERROR / LOOKS / max(1, among, len(judged))
    holding: list[Finding] = []

    def judge(kind: Kind, place: int, profit: Decimal, lost: float, chance: Callable[[float], float]) -> None:
        before = (kind, place) in said
        bound = max(level, HELD) if before else level
        if chance(bound) <= bound:
            holding.append(Finding(kind, place, profit, lost, before))

    for place, page in enumerate(pages):
        if page.intended_exit or not page.counts.trials:
            continue
        profit = profit_of(page.revenue, page.spend, margin)
        of, needed = page.returned, bar * float(page.spend)
        if of is not None and page.spend > 0 and profit < 0:
            judge("loses_money", place, profit, page.lost, partial(_chance_of_more, of, needed))
        elif of is not None and page.spend > 0 and profit > 0:
            judge("earns", place, profit, page.lost, partial(_chance_of_less, of, needed))
        if page.lost >= 1:
            judge("converts_badly", place, profit, page.lost, partial(_chance_of_fewer, page.counts, whole))
    found = strongest([f for f in holding if f.kind != "converts_badly"])
    named = {f.place for f in found}
    found += strongest([f for f in holding if f.kind == "converts_badly" and f.place not in named])
    thin = [
        (place, p.counts)
        for place, p in enumerate(pages)
        if not p.intended_exit and p.counts.trials and is_thin(p.counts.conversions, p.counts.trials)
    ]
    holds = frozenset((f.kind, f.place) for f in holding)
    return Findings(found, whole.rate, len(thin), _nearest(thin, whole.rate), holds)


def _chance_of_more(of: Returned, needed: float, level: float) -> float:
    return chance_of_more(of.sums, of.spread, needed, enough=level)


def _chance_of_less(of: Returned, needed: float, level: float) -> float:
    return chance_of_less(of.sums, of.spread, needed)


def _chance_of_fewer(page: Counts, whole: Counts, level: float) -> float:
    """How often so few of all conversions or fewer fall to this page, if its rate is the others'."""
    if page.trials == whole.trials:
        return 1.0
    return float(scipy.stats.hypergeom.cdf(page.conversions, whole.trials, whole.conversions, page.trials))


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
