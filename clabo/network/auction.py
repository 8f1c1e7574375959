"""Auctions: who sees an ad, who clicks it, and what that costs. Nothing is kept here, and chance comes from the caller.

Each time somebody could be shown an ad, the highest bid of the others is drawn. A plan bids what a click is worth to it times
how likely that person clicks; where it is the highest it is shown, and a click costs what it took to be so, no more (generalised
second price; Edelman, Ostrovsky & Schwarz, American Economic Review 97 (2007) 242-259).
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Whole = NDArray[np.int64]

# Of the day's chances to be shown an ad, the share that falls into each hour: least at four, most at eight in the evening.
_DAILY = 1.0 + 0.75 * np.cos((np.arange(24) - 20) / 24 * 2 * np.pi)
BY_HOUR: Floats = _DAILY / _DAILY.sum()
# How often somebody could be shown an ad a day: a few very often (gamma).
CHANCES_A_DAY, CHANCES_SHAPE = 5.0, 0.8
# The highest bid of the others for a thousand times shown, in the currency (log-normal: median, and sigma of the logarithm).
OTHERS_MEDIAN, OTHERS_SPREAD = 2.2, 0.7
# Of those shown an ad of usual quality for the first time, weeks after they came: how many click.
CLICK_RATE = 0.006
# Each time they have seen it before makes it duller, down to so much of it.
DULLER, DULLEST = 0.86, 0.15
# Days since somebody came, up to which they click and convert so much more often.
BANDS: tuple[tuple[int, float], ...] = ((3, 1.9), (7, 1.4), (14, 1.0), (30, 0.7), (10_000, 0.45))
SEGMENTS = 6
# How often people of a segment convert, against all: what the network does not know and can learn.
SEGMENT_RATES: Floats = np.array([0.2, 0.5, 0.8, 1.0, 1.3, 2.2])
CAP_DAYS = 7


def band_of(days: Floats) -> Whole:
    """The place in BANDS of so many days since somebody came."""
    return np.searchsorted([until for until, _ in BANDS], days, side="right").astype(np.int64)


@dataclass(frozen=True, slots=True)
class People:
    """Whom a plan is for: how often each could be shown an ad a day, their segment, and the days since they came.

    Three arrays of the same length.
    """

    chances: Floats
    segment: Whole
    days: Floats

    def __len__(self) -> int:
        return len(self.chances)

    @classmethod
    def of_hashes(cls, hashes: list[bytes], days: Floats) -> People:
        """The same people every time: how they are follows from their hashes."""
        seeds = np.array([int.from_bytes(h[:8], "big") for h in hashes], dtype=np.uint64)
        uniform = ((seeds >> np.uint64(11)).astype(np.float64) + 0.5) / 2.0**53
        # The inverse of an exponential, raised: as skewed as the gamma is, and exactly repeatable.
        chances = CHANCES_A_DAY * (-np.log(uniform)) ** (1 / CHANCES_SHAPE) / 1.1330
        return cls(chances, (seeds % np.uint64(SEGMENTS)).astype(np.int64), days)


@dataclass(frozen=True, slots=True)
class Terms:
    """What a plan pays: the highest price of a click, the most a day (in the currency), and how often one person sees it
    in CAP_DAYS days (0: as often as may be). `quality` of each creative: 1 is usual.
    """

    highest_click: float
    daily_budget: float
    cap: int
    quality: tuple[float, ...]


@dataclass(slots=True)
class Learned:
    """What the network has learnt of a plan from the conversions that it was told of: clicks and conversions by segment and band.

    It shows the ad rather to those like whoever converted: a click is worth to the plan what it leads to.
    """

    clicks: Floats = field(default_factory=lambda: np.zeros((SEGMENTS, len(BANDS))))
    conversions: Floats = field(default_factory=lambda: np.zeros((SEGMENTS, len(BANDS))))

    def worth(self) -> Floats:
        """How much a click is worth against the plan's usual one, by segment and band; all 1 where nothing was told.

        Rates are drawn towards what segment and band alone say, and these towards the whole (empirical Bayes with a fixed
        weight of 15 clicks), and stay between a third and three times.
        """
        all_clicks, all_conversions = self.clicks.sum(), self.conversions.sum()
        if all_conversions < 3:
            return np.ones_like(self.clicks)
        usual = all_conversions / all_clicks
        weight = 15.0
        segment = (self.conversions.sum(1) + weight * usual) / (self.clicks.sum(1) + weight) / usual
        band = (self.conversions.sum(0) + weight * usual) / (self.clicks.sum(0) + weight) / usual
        expected = usual * segment[:, None] * band[None, :]
        rate = (self.conversions + weight * expected) / (self.clicks + weight)
        return np.asarray(np.clip(rate / usual, 1 / 3, 3.0))


@dataclass(slots=True)
class State:
    """How far a plan is: how often each person has seen it on each of the last CAP_DAYS days and in all, and what today cost."""

    seen_by_day: Whole
    seen: Whole
    spent_today: float = 0.0
    # The share of the chances that it takes, so that the day's budget lasts for the day.
    pace: float = 1.0

    @classmethod
    def fresh(cls, people: int) -> State:
        """Nobody has seen it."""
        return cls(np.zeros((CAP_DAYS, people), dtype=np.int64), np.zeros(people, dtype=np.int64))

    def next_day(self) -> None:
        """Midnight."""
        self.seen_by_day = np.roll(self.seen_by_day, 1, axis=0)
        self.seen_by_day[0] = 0
        self.spent_today = 0.0


@dataclass(frozen=True, slots=True)
class Shown:
    """What happened in a while: how often each creative was shown, and the clicks: who, which creative, and the price."""

    shown: Whole
    person: Whole
    creative: Whole
    price: Floats

    @property
    def cost(self) -> float:
        """What it cost."""
        return float(self.price.sum())


def step(
    people: People,
    terms: Terms,
    state: State,
    worth: Floats,
    hour: float,
    length: float,
    chance: np.random.Generator,
) -> Shown:
    """Let some time go by, and bring `state` up to date.

    Parameters
    ----------
    people, terms, state
        As above; `state` has a column for each of `people`.
    worth : ndarray, shape (SEGMENTS, len(BANDS))
        What a click is worth (Learned.worth).
    hour : float
        Hour of the day, from 0 on, below 24.
    length : float
        Hours that go by, at most one.
    chance : numpy.random.Generator

    Returns
    -------
    Shown
        Its cost never leads beyond the day's budget.
    """
    creatives = len(terms.quality)
    left = terms.daily_budget - state.spent_today
    nothing = Shown(np.zeros(creatives, np.int64), np.zeros(0, np.int64), np.zeros(0, np.int64), np.zeros(0))
    if left <= 0 or not len(people):
        return nothing
    share = BY_HOUR[int(hour) % 24] * length
    who = np.repeat(np.arange(len(people)), chance.poisson(people.chances * share))
    who = who[chance.random(len(who)) < state.pace]
    chance.shuffle(who)
    # Somebody with several chances in this while is a bit more tired at each.
    order = np.argsort(who, kind="stable")
    turn = np.empty(len(who), np.int64)
    starts = np.flatnonzero(np.diff(who[order], prepend=-1))
    turn[order] = np.arange(len(who)) - np.repeat(starts, np.diff(np.append(starts, len(who))))
    before = state.seen[who] + turn
    if terms.cap:
        allowed = state.seen_by_day.sum(axis=0)[who] + turn < terms.cap
        who, before = who[allowed], before[allowed]
    creative = chance.integers(0, creatives, len(who))
    band = band_of(people.days[who])
    fresh = np.maximum(DULLEST, DULLER**before)
    rate = CLICK_RATE * np.array(terms.quality)[creative] * np.array([r for _, r in BANDS])[band] * fresh
    # What is worth less than usual is bid less for; nothing is ever bid more for than the highest price.
    mine = terms.highest_click * np.minimum(1.0, worth[people.segment[who], band]) * rate * 1000
    others = OTHERS_MEDIAN * np.exp(OTHERS_SPREAD * chance.standard_normal(len(who)))
    won = mine > others
    who, creative, rate, others = who[won], creative[won], rate[won], others[won]
    clicked = chance.random(len(who)) < rate
    # What it took to be the highest, which is less than was bid.
    price = others / (rate * 1000)
    # Once the budget is through, nobody sees it any more.
    spent = np.cumsum(np.where(clicked, price, 0.0))
    until = int(np.searchsorted(spent, left, side="right"))
    who, creative, clicked, price = who[:until], creative[:until], clicked[:until], price[:until]
    np.add.at(state.seen, who, 1)
    np.add.at(state.seen_by_day[0], who, 1)
    found = Shown(np.bincount(creative, minlength=creatives), who[clicked], creative[clicked], price[clicked])
    state.spent_today += found.cost
    _pace(state, terms, hour + length)
    return found


def _pace(state: State, terms: Terms, hour: float) -> None:
    """Take more of the chances where the day's budget would not be spent by midnight, fewer where it would be too soon."""
    gone = float(BY_HOUR[: int(hour)].sum() + BY_HOUR[int(hour) % 24] * (hour % 1)) if hour < 24 else 1.0
    due = terms.daily_budget * gone
    if due > 0:
        ahead = state.spent_today / due
        state.pace = float(np.clip(state.pace * np.clip(1 / max(ahead, 0.2), 0.7, 1.3), 0.02, 1.0))


def conversion_rates(people: People, person: Whole, rate: float, page_quality: float = 1.0) -> Floats:
    """How likely each of these, having clicked, converts: by segment and band, which the network is not told."""
    band = band_of(people.days[person])
    factor = SEGMENT_RATES[people.segment[person]] * np.array([r for _, r in BANDS])[band]
    return np.asarray(np.minimum(0.9, rate * page_quality * factor))
