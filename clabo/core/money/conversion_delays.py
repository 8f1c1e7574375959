"""How long conversions take to come, and how many of recent visits' are still to be expected."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from clabo.core.evidence import Interval
from clabo.core.evidence.types import alpha_of

# With fewer conversions seen nothing is said of how they come.
FEWEST = 20
# What came so many days ago counts half; and where the last two weeks are clearly other than the time before, as few as that.
HALF_LIFE, HALF_LIFE_CHANGED = 28.0, 4.0
_RECENT, _CLEARLY = 14, 0.01
_DRAWS = 300
# A day is drawn towards its row's other days as if by so many conversions: by what its days show, within these.
_LEAST_ALIKE, _MOST_ALIKE = 0.2, 10.0

Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Came:
    """A conversion of a visit: the age of the visit's day in days, the hour of that day in which the visit began, and the
    hours from that day's midnight to the conversion, whole ones."""

    age: int
    began: int
    after: int


@dataclass(frozen=True, slots=True)
class Delays:
    """Which part of a day's conversions has come by this time of the day when it is so many days old.

    `arrived[d]` of a day d days old, 1 in the end; of today (0) it is the part of the visits so far. `drawn`: the same as it
    could be as well, a row for each draw. `so_far`: the part of a day's conversions that come of visits up to this time of it.
    """

    arrived: Floats
    drawn: Floats
    so_far: float = 1.0

    def part(self, age: int) -> float:
        """The part that has come of what a day of this age will have brought."""
        return float(self.arrived[min(max(age, 0), len(self.arrived) - 1)])


def delays(counts: Mapping[Came, float], window: int, clock: float) -> Delays | None:
    """The delays that a history shows, without taking what is still to come for what never comes.

    Of every day it is known how much had come by this time of the day, a whole number of days later: so neither the hours at
    which people visit nor those at which they buy have to be known. Days are seen to different ages, so that plain shares
    would favour short delays. The reverse-time hazard of a step, of what came up to it the part that came in it, is read
    from the days that are old enough to have shown it; the distribution is the product of what is left (chain ladder:
    Mack, ASTIN Bulletin 23 (1993) 213-225; for right-truncated delays: Kalbfleisch & Lawless, Statistica Sinica 1 (1991)
    19-32). Hazards have a beta posterior, with one conversion spread over all steps beforehand, of which curves are drawn.

    Parameters
    ----------
    counts : mapping of Came to conversions
        Only of what has come by now.
    window : int
        The longest delay that is credited, in days.
    clock : float
        The time of the day, in hours.

    Returns
    -------
    Delays
        None where too few have come to tell, or no day is as old as the window: then nobody has seen the longest delays.

    Raises
    ------
    ValueError
        When something came before its visit's day, or later than now.

    Examples
    --------
    >>> seen = {Came(9, 10, 12): 60.0, Came(9, 10, 30): 40.0, Came(0, 10, 10): 30.0}
    >>> d = delays(seen, 2, 15.0)
    >>> round(d.part(0), 6), round(d.part(1), 6), d.part(3)
    (0.6, 1.0, 1.0)
    """
    last = window + 1
    ages, began, after = np.array([(c.age, c.began, c.after) for c in counts] or [(0, 0, 0)]).T
    n = np.array(list(counts.values()) or [0.0], float)
    if min(ages.min(), after.min()) < 0 or (after > 24 * ages + clock).any():
        raise ValueError("counts: nothing comes before its visit, nor later than now")
    if n.sum() < FEWEST or ages.max() < window:
        return None
    every = _by_step(ages, after, n, clock, last)
    # Of the hour that it is, as much as is over.
    today = _by_step(ages, after, n * np.clip(clock - began, 0.0, 1.0), clock, last)
    chance = np.random.default_rng(1)
    arrived, drawn = _curve(every, chance)
    # Of today there are only the visits so far.
    arrived[0], drawn[:, 0] = (found[..., 0] for found in _curve(today, chance))
    so_far = today[1:].sum() / max(every[1:].sum(), 1e-9)
    return Delays(arrived, drawn, min(1.0, max(float(so_far), 1e-6)))


def _by_step(ages: NDArray[np.int64], after: NDArray[np.int64], n: Floats, clock: float, last: int) -> Floats:
    """Counts by age (rows) and step, each up to the same time of a day. An hour within which it lies is of two steps."""
    found = np.zeros((int(ages.max()) + 1, last + 1))
    step = np.floor((after - clock) / 24).astype(int) + 1
    within = np.minimum(1.0, 24 * step + clock - after)
    for of, part in ((step, within), (step + 1, 1 - within)):
        # Of an hour that is not over all that is known of has come.
        np.add.at(found, (ages, np.minimum(np.clip(of, 0, last), ages)), n * part)
    return found


def _curve(counts: Floats, chance: np.random.Generator) -> tuple[Floats, Floats]:
    """The parts that have come after each step, and draws of them, from counts by age and step."""
    oldest, last = counts.shape[0] - 1, counts.shape[1] - 1
    arrived, drawn = np.ones(last + 1), np.ones((_DRAWS, last + 1))
    half_life = HALF_LIFE_CHANGED if _changed(counts) else HALF_LIFE
    for step in range(min(last, oldest), 0, -1):
        weight = 0.5 ** (np.arange(oldest + 1 - step) / half_life)
        mass = weight[:, None] * counts[step:, : step + 1]
        # Weighted counts tell as much as so many (Kish).
        square = float((weight[:, None] * mass).sum())
        worth = float(mass.sum()) / square if square else 1.0
        at, within = float(mass[:, step].sum()), float(mass.sum())
        arrived[step - 1] = arrived[step] * (1 - at / within if within else 1.0)
        hazard = (
            chance.beta(at * worth + 1 / last, (within - at) * worth + 1 / last, _DRAWS) if within else 0.0
        )
        drawn[:, step - 1] = drawn[:, step] * (1 - hazard)
    return arrived, drawn


def _changed(counts: Floats) -> bool:
    """Whether what came in each step of all up to it differs between the last two weeks and before, by chi-square."""
    total, freedom = 0.0, 0
    for step in range(1, min(counts.shape)):
        recent, before = counts[step : step + _RECENT, : step + 1], counts[step + _RECENT :, : step + 1]
        within = np.array([recent.sum(), before.sum()])
        came = np.array([recent[:, step].sum(), before[:, step].sum()])
        part = came.sum() / max(within.sum(), 1e-9)
        # With few expected it is no chi-square.
        if min(within) * min(part, 1 - part) >= 5:
            spread = part * (1 - part) * (1 / within).sum()
            total += float((came[0] / within[0] - came[1] / within[1]) ** 2 / spread)
            freedom += 1
    return freedom > 0 and float(scipy.stats.chi2.sf(total, freedom)) < _CLEARLY


def _alike(counts: Floats, exposures: Floats) -> float:
    """The shape of the gamma that days' means come from, by moments: large where days are alike."""
    if not exposures.sum():
        return _LEAST_ALIKE
    usual = counts.sum() / exposures.sum() * exposures
    beyond = float(((counts - usual) ** 2 - usual).sum())
    found = float((usual**2).sum()) / beyond if beyond > 0 else _MOST_ALIKE
    return min(_MOST_ALIKE, max(_LEAST_ALIKE, found))


def to_come(found: Delays, days: Sequence[tuple[int, float]], level: float = 0.95) -> Interval:
    """Conversions that are still to come of days of these ages, of which so many have come.

    Parameters
    ----------
    found : Delays
        Of the same time of the day.
    days : sequence of (age in days, conversions)
        All of a row's days, those without any too: a day is drawn towards the others.
    level : float
        Of the prediction interval.

    Notes
    -----
    A day's number is Poisson with a mean that is Gamma about the row's own, of a shape α by its days' moments; of those with a part F that
    has come the rest is negative binomial, with the posterior α + n over α/λ + F. Several days by their sum's moments, over
    the drawn curves too (England & Verrall, British Actuarial Journal 8 (2002) 443-518, have a bootstrap for the same).

    >>> curve = np.array([0.6, 1.0])
    >>> i = to_come(Delays(curve, np.array([curve])), [(0, 30.0), (1, 50.0)])
    >>> round(i.low), round(i.estimate), round(i.high)
    (10, 20, 32)
    """
    tail = alpha_of(level) / 2
    ages = np.minimum(np.maximum([age for age, _ in days], 0), len(found.arrived) - 1)
    sizes = np.where(ages == 0, found.so_far, 1.0)
    counts = np.array([n for _, n in days], float)
    alike = _alike(counts, found.arrived[ages] * sizes)

    def expected(parts: Floats) -> tuple[Floats, Floats]:
        """Means and variances of a day's rest, for a row of parts each."""
        usual = ((counts.sum() + 0.5) / np.maximum(parts @ sizes, 1e-9))[..., None] * sizes
        rate = (alike + counts) / (alike / usual + parts)
        rest = 1 - parts
        return (rate * rest).sum(axis=-1), (rate * rest * (1 + rest / (alike / usual + parts))).sum(axis=-1)

    if not len(counts) or not counts.sum():
        return Interval(0.0, 0.0, 0.0)
    means, variances = expected(found.drawn[:, ages])
    estimate = float(expected(found.arrived[ages])[0] * counts.sum() / (counts.sum() + 0.5))
    mean, variance = float(means.mean()), float(variances.mean() + means.var())
    if mean <= 0:
        return Interval(0.0, 0.0, 0.0)
    p = min(mean / variance, 1 - 1e-9)
    size = mean * p / (1 - p)
    low, high = float(scipy.stats.nbinom.ppf(tail, size, p)), float(scipy.stats.nbinom.ppf(1 - tail, size, p))
    return Interval(min(low, estimate), estimate, max(high, estimate))
