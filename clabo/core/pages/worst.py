"""Which pages lose most against what they are there for (definitions: "Poor performers", "A page's own goal")."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

from clabo.core.evidence import (
    Counts,
    Interval,
    is_thin,
    one_rate_size,
    quantile_interval,
    rate_interval,
    shrink_rates,
)

# A page that is half as good as the typical one is worth hearing of.
WORTH_TELLING = 0.5
# Unsent for so long that chance would do it once in a thousand.
_SILENT = 0.001
# How often a form must have been sent before, for its usual rate to be known.
_FEWEST_SENT = 10
# A page is slow whose largest part a quarter of its views waited longer for than so many milliseconds.
_SLOW = 2500
_SLOW_SHARE = 0.75
# Fewer measured views say nothing of a quarter.
_FEWEST_MEASURED = 20


@dataclass(frozen=True, slots=True)
class Wait:
    """What three quarters of a page's views did not wait longer than, in milliseconds, of so many measured ones."""

    measured: int
    largest: Interval

    @property
    def slow(self) -> bool:
        """Whether it is beyond doubt too long."""
        return self.measured >= _FEWEST_MEASURED and self.largest.low > _SLOW


def wait_of(milliseconds: Sequence[float], times: Sequence[int] | None = None) -> Wait:
    """How long a page's largest part takes, from measured views; `times`: how often each was measured.

    >>> wait_of([3000] * 40).slow, wait_of([3000] * 12 + [2000] * 28).slow
    (True, False)
    """
    measured = sum(times) if times is not None else len(milliseconds)
    return Wait(measured, quantile_interval(milliseconds, _SLOW_SHARE, times=times))


@dataclass(frozen=True, slots=True)
class Loss:
    """What a page has lost: conversions fewer than the typical page of its goal would have brought.

    `lost` has a negative lower limit where the page may as well be better; `typical` is the typical rate. `needed`
    are the trials that it takes to tell a page half as good from a typical one; None where it has them.
    """

    counts: Counts
    typical: float
    lost: Interval
    thin: bool
    needed: int | None

    @property
    def certain(self) -> bool:
        """The evidence supports that something is lost: a conversion at least, and its own interval ends below typical."""
        return (
            self.lost.estimate >= 1
            and rate_interval(self.counts.conversions, self.counts.trials).high < self.typical
        )


def losses(counts: Sequence[Counts], intended_exit: Sequence[bool], level: float = 0.95) -> list[Loss | None]:
    """Each page's loss among pages of one goal; None for pages that are meant to be left, and where nothing is known.

    Rates are shrunk by an empirical-Bayes beta-binomial (evidence.shrink_rates); the limits are the posterior's.
    Raises ValueError where the lengths differ.
    """
    if len(counts) != len(intended_exit):
        raise ValueError("intended_exit: give one mark for each page")
    judged = [c for c, mark in zip(counts, intended_exit, strict=True) if not mark]
    if not any(c.trials for c in judged):
        return [None] * len(counts)
    shrunk = shrink_rates(judged, level)
    typical = shrunk.typical
    enough = one_rate_size(typical, typical * WORTH_TELLING, level=level)
    rates = iter(shrunk.pages)
    found: list[Loss | None] = []
    for page, mark in zip(counts, intended_exit, strict=True):
        if mark:
            found.append(None)
            continue
        rate = next(rates)
        # A posterior that is very skew has its mean beyond its quantile.
        ends = rate.estimate, max(rate.high, rate.estimate), min(rate.low, rate.estimate)
        estimate, low, high = (page.trials * (typical - r) for r in ends)
        found.append(
            Loss(
                page,
                typical,
                Interval(low, estimate, high),
                is_thin(page.conversions, page.trials),
                enough if page.trials < enough else None,
            )
        )
    return found


def fallen_silent(sent: int, views_until: int, views_since: int) -> bool:
    """Whether a form that was sent `sent` times over so many views of its page should have been sent again since.

    Sending is taken for a Poisson process over views: none in `views_since` would happen by chance less than once
    in a thousand, exp(-rate · views).

    >>> fallen_silent(100, 1000, 30), fallen_silent(100, 1000, 80)
    (False, True)
    """
    if sent < _FEWEST_SENT or views_until <= 0:
        return False
    return math.exp(-sent / views_until * views_since) < _SILENT
