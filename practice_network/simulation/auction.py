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
# Where ads are shown: the share of all chances, and how much likelier than usual a click there is.
PLACEMENTS: dict[str, tuple[float, float]] = {
    "articles": (0.45, 0.9),
    "stream": (0.4, 1.2),
    "video": (0.15, 0.75),
}
# The highest bid of the others for a thousand times shown, in the currency (log-normal: median, and sigma of the logarithm).
OTHERS_MEDIAN, OTHERS_SPREAD = 6.0, 0.7
# Of those shown an ad of usual quality for the first time, weeks after they came: how many click.
CLICK_RATE = 0.012
# Each time they have seen it lately makes it duller, down to so much of it; a day makes up for a part of that.
DULLER, DULLEST, FORGETTING = 0.86, 0.15, 0.13
# Of those who see it and do not click, so many come by themselves within the day.
LATER_RATE = 0.0008
# Days since somebody came, up to which they click and convert so much more often; the last are those who never came.
BANDS: tuple[tuple[int, float], ...] = (
    (3, 1.9),
    (7, 1.4),
    (14, 1.0),
    (30, 0.7),
    (10_000, 0.45),
    (1_000_000, 0.3),
)
NEVER_CAME_DAYS = 20_000.0
SEGMENTS = 6
# How often people of a segment convert, against all: what the network does not know and can learn.
SEGMENT_RATES: Floats = np.array([0.2, 0.5, 0.8, 1.0, 1.3, 2.2])
CAP_DAYS = 7
# Of those who came by an ad and are of the usual kind, how many go through with what the page is there for.
USUAL_RATE = 0.07


def band_of(days: Floats) -> Whole:
    """The place in BANDS of so many days since somebody came."""
    return np.searchsorted([until for until, _ in BANDS], days, side="right").astype(np.int64)


def quality_of(path: str) -> float:
    """How good a page is, between 0.6 and 1.4: the same every time, and nobody is told."""
    return 0.6 + 0.8 * (sum(path.encode()) * 2654435761 % 1000) / 999


@dataclass(frozen=True, slots=True)
class People:
    """Whom a plan is for: how often each could be shown an ad a day, their segment, the days since they came, and which
    line of the plan they are shown it by.

    Four arrays of the same length.
    """

    chances: Floats
    segment: Whole
    days: Floats
    line: Whole

    def __len__(self) -> int:
        return len(self.chances)

    @classmethod
    def of_seeds(cls, seeds: NDArray[np.uint64], days: Floats, line: Whole | None = None) -> People:
        """The same people every time: how they are follows from their seeds."""
        uniform = ((seeds >> np.uint64(11)).astype(np.float64) + 0.5) / 2.0**53
        # The inverse of an exponential, raised: as skewed as the gamma is, and exactly repeatable.
        chances = CHANCES_A_DAY * (-np.log(uniform)) ** (1 / CHANCES_SHAPE) / 1.1330
        segment = (seeds % np.uint64(SEGMENTS)).astype(np.int64)
        return cls(chances, segment, days, np.zeros(len(seeds), np.int64) if line is None else line)

    @classmethod
    def of_hashes(cls, hashes: list[bytes], days: Floats, line: Whole | None = None) -> People:
        """Of whom only their hashes are known."""
        return cls.of_seeds(
            np.array([int.from_bytes(h[:8], "big") for h in hashes], dtype=np.uint64), days, line
        )


@dataclass(frozen=True, slots=True)
class Terms:
    """What a plan pays: the highest price of a click, the most a day (in the currency), and how often one person sees it
    in CAP_DAYS days (0: as often as may be). `quality` of each creative (1 is usual), or of each line and creative.

    `shares` of the budget that are each line's; `turns`, how often each creative's turn is, empty: alike. Lines of the same one
    of the `pools` share what they have: what one cannot spend of its part the others do; empty: each has its own.
    """

    highest_click: float
    daily_budget: float
    cap: int
    quality: tuple[float, ...] | Floats
    shares: tuple[float, ...] = (1.0,)
    turns: tuple[float, ...] = ()
    placements: tuple[str, ...] = tuple(PLACEMENTS)
    pools: tuple[int, ...] = ()

    @property
    def pool(self) -> Whole:
        """The pool of each line, counted from 0 on."""
        return np.array(self.pools or range(len(self.shares)), dtype=np.int64)

    @property
    def budgets(self) -> Floats:
        """The most that each line costs a day."""
        return self.daily_budget * np.array(self.shares)

    @property
    def by_line(self) -> Floats:
        """The quality of each line's creatives, shape (lines, creatives)."""
        quality = np.atleast_2d(np.asarray(self.quality, dtype=np.float64))
        return np.broadcast_to(quality, (len(self.shares), quality.shape[1]))


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
    """How far a plan is: how often each person has seen it on each of the last CAP_DAYS days and in all, and how tired of it
    they are (times seen, less what was forgotten since); and, of each line, what today cost, the share of the chances that it takes,
    so that the day's budget lasts for the day, and how many chances it took lately and what they were worth.
    """

    seen_by_day: Whole
    seen: Whole
    tired: Floats
    spent_today: Floats
    pace: Floats
    taken: Floats
    taken_cost: Floats

    @classmethod
    def fresh(cls, people: int, lines: int = 1) -> State:
        """Nobody has seen it."""
        return cls(
            np.zeros((CAP_DAYS, people), dtype=np.int64),
            np.zeros(people, dtype=np.int64),
            np.zeros(people),
            np.zeros(lines),
            np.ones(lines),
            np.zeros(lines),
            np.zeros(lines),
        )

    def next_day(self) -> None:
        """Midnight."""
        self.seen_by_day = np.roll(self.seen_by_day, 1, axis=0)
        self.seen_by_day[0] = 0
        self.tired *= 1 - FORGETTING
        self.spent_today[:] = 0.0
        self.taken /= 2
        self.taken_cost /= 2


@dataclass(frozen=True, slots=True)
class Shown:
    """What happened in a while.

    `shown`: how often, and `expected`: how many clicks were to be expected of it, shape (lines, creatives); `expected_of` tells
    these apart by segment and band, shape (lines, SEGMENTS, len(BANDS)). `viewer` is who was shown it, once for each time, and `viewer_creative` what that was. The clicks: who, which creative, the price. `later`: who saw it and came by themselves, and which creative that was. Of each line: how many
    `chances` there were, and of those how many the pace `held` back, the cap took out (`capped`), and others bid more for (`outbid`).
    """

    shown: Whole
    person: Whole
    creative: Whole
    price: Floats
    expected: Floats
    expected_of: Floats
    viewer: Whole
    viewer_creative: Whole
    later: Whole
    later_creative: Whole
    chances: Whole
    held: Whole
    capped: Whole
    outbid: Whole

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
    smooth: bool = False,
) -> Shown:
    """Let some time go by, and bring `state` up to date.

    Parameters
    ----------
    people, terms, state
        As above; `state` has a column for each of `people` and a place for each line.
    worth : ndarray, shape (SEGMENTS, len(BANDS)) or (lines, SEGMENTS, len(BANDS))
        What a click is worth (Learned.worth), to the plan or to each line.
    hour : float
        Hour of the day, from 0 on, below 24.
    length : float
        Hours that go by, at most one.
    chance : numpy.random.Generator
    smooth : bool
        Whoever is shown it costs what they cost on average, and nobody's click is the last that the budget has room for: so a part of
        the people can be tried with the same part of a budget, however small that is.

    Returns
    -------
    Shown
        What the lines of a pool cost never leads beyond their budgets of the day; one of several may, by its last click, go
        beyond its own part.
    """
    quality, pool = terms.by_line, terms.pool
    lines, creatives = quality.shape
    places = [PLACEMENTS[p] for p in terms.placements]
    of_day = BY_HOUR[int(hour) % 24] * length
    in_pool = _totals(pool, terms.budgets - state.spent_today, 0)
    each = people.chances * sum(s for s, _ in places)
    left = _parts(terms, state, in_pool, people.line, each * max(0.0, 1.0 - _gone(hour)))
    # Chances come by themselves (Poisson), and so do those of each line that its pace lets by, and those that it does not.
    coming = each * of_day * (left > 0)[people.line]
    held = chance.poisson(_totals(people.line, coming, lines) * (1 - state.pace))
    sums = np.cumsum(coming * state.pace[people.line])
    until = sums[-1] if len(sums) else 0.0
    drawn = np.searchsorted(sums, chance.random(chance.poisson(until)) * until, side="right")
    who = np.minimum(drawn, len(sums) - 1).astype(np.int64)
    taken = _by_line(people, who, lines)
    # Somebody with several chances in this while is a bit more tired at each.
    order = np.argsort(who, kind="stable")
    turn = np.empty(len(who), np.int64)
    starts = np.flatnonzero(np.diff(who[order], prepend=-1))
    turn[order] = np.arange(len(who)) - np.repeat(starts, np.diff(np.append(starts, len(who))))
    before = state.tired[who] + turn
    if terms.cap:
        allowed = state.seen_by_day[:, who].sum(axis=0) + turn < terms.cap
        who, before = who[allowed], before[allowed]
    asked = _by_line(people, who, lines)
    creative = _draw(chance, terms.turns or (1.0,) * creatives, len(who))
    place = _draw(chance, [s for s, _ in places], len(who))
    band, line = band_of(people.days[who]), people.line[who]
    fresh = np.maximum(DULLEST, DULLER**before)
    rate = CLICK_RATE * quality[line, creative] * np.array([r for _, r in BANDS])[band] * fresh
    rate *= np.array([f for _, f in places])[place]
    # What is worth less than usual is bid less for; nothing is ever bid more for than the highest price.
    segment = people.segment[who]
    value = worth[line, segment, band] if worth.ndim == 3 else worth[segment, band]
    mine = terms.highest_click * np.minimum(1.0, value) * rate * 1000
    others = OTHERS_MEDIAN * np.exp(OTHERS_SPREAD * chance.standard_normal(len(who)))
    won = mine > others
    who, creative, rate, others, line = who[won], creative[won], rate[won], others[won], line[won]
    clicked = chance.random(len(who)) < rate
    # What it took to be the highest, which is less than was bid.
    price = others / (rate * 1000)
    paid = price * (rate if smooth else clicked)
    state.taken += taken
    state.taken_cost += _totals(line, rate * price, lines)
    within = _within(paid, line, left, pool, in_pool)
    who, creative, clicked = who[within], creative[within], clicked[within]
    price, rate, line, paid = price[within], rate[within], line[within], paid[within]
    np.add.at(state.seen, who, 1)
    np.add.at(state.tired, who, 1)
    np.add.at(state.seen_by_day[0], who, 1)
    state.spent_today += np.bincount(line, paid, minlength=lines)
    later = ~clicked & (chance.random(len(who)) < LATER_RATE)
    _pace(
        state,
        left,
        of_day,
        hour + length,
        _totals(line, rate * price, lines),
        np.bincount(line, minlength=lines),
    )
    cell = line * creatives + creative
    kinds = SEGMENTS * len(BANDS)
    kind = line * kinds + people.segment[who] * len(BANDS) + band_of(people.days[who])
    return Shown(
        np.bincount(cell, minlength=lines * creatives).reshape(lines, creatives),
        who[clicked],
        creative[clicked],
        price[clicked],
        _totals(cell, rate, lines * creatives).reshape(lines, creatives),
        _totals(kind, rate, lines * kinds).reshape(lines, SEGMENTS, len(BANDS)),
        who,
        creative,
        who[later],
        creative[later],
        held + taken,
        held,
        taken - asked,
        asked - np.bincount(people.line[who], minlength=lines),
    )


def _totals(group: Whole, of: Floats, groups: int) -> Floats:
    return np.bincount(group, of, minlength=groups).astype(np.float64)


def _by_line(people: People, who: Whole, lines: int) -> Whole:
    return np.bincount(people.line[who], minlength=lines)


def _draw(chance: np.random.Generator, weights: object, count: int) -> Whole:
    """Places, as often as their weights say."""
    edges = np.cumsum(np.asarray(weights, dtype=np.float64))
    return np.minimum(
        np.searchsorted(edges / edges[-1], chance.random(count), side="right"), len(edges) - 1
    ).astype(np.int64)


# What a chance of a line is worth counts for as much as so many chances of the others of its pool.
_LIKE_OTHERS = 50.0


def _parts(terms: Terms, state: State, in_pool: Floats, line: Whole, coming: Floats) -> Floats:
    """What each line may cost until midnight: its part of what is left in its pool, and of what others there have no use for.

    `coming`: how many chances each of its people, who are of these lines, may have by then. What they would cost is what those
    taken lately did; a line of which little is known is taken to be like the others.
    """
    pool, budgets = terms.pool, terms.budgets
    own = np.maximum(0.0, budgets - state.spent_today)
    if len(in_pool) == len(budgets):
        return own
    own *= (np.maximum(0.0, in_pool) / np.maximum(_totals(pool, own, 0), 1e-12))[pool]
    taken = _totals(pool, state.taken, 0)[pool]
    usual = _totals(pool, state.taken_cost, 0)[pool] / np.maximum(taken, 1e-12)
    each = (state.taken_cost + _LIKE_OTHERS * usual) / (state.taken + _LIKE_OTHERS)
    chances = _totals(line, coming, len(budgets))
    use = np.where(taken > 0, chances * each, np.where(chances > 0, np.inf, 0.0))
    # Each time round at least one line more has all that it has a use for.
    for _ in range(len(budgets)):
        spare = np.maximum(0.0, own - use)
        hungry = np.where(own < use, budgets, 0.0)
        weight = _totals(pool, hungry, 0)[pool]
        moved = np.where(weight > 0, spare, 0.0)
        if not moved.any():
            break
        own += _totals(pool, moved, 0)[pool] * hungry / np.maximum(weight, 1e-12) - moved
    return own


def _within(price: Floats, line: Whole, left: Floats, pool: Whole, in_pool: Floats) -> NDArray[np.bool_]:
    """Which of these still fit: each line goes on until it has had what is `left` to it, all of a pool until that has nothing more."""
    if len(in_pool) == len(left):
        return np.asarray(_sums(price, line, len(left)) <= in_pool[pool[line]])
    began = _sums(price, line, len(left)) - price < left[line]
    fits = _sums(price * began, pool[line], len(in_pool)) <= in_pool[pool[line]]
    return np.asarray(began & fits)


def _sums(price: Floats, group: Whole, groups: int) -> Floats:
    """Of each, what it and all before it in its group cost."""
    order = np.argsort(group, kind="stable")
    sums = np.append(0.0, np.cumsum(price[order]))
    first = np.searchsorted(group[order], np.arange(groups))
    found = np.empty(len(price))
    found[order] = sums[1:] - sums[first][group[order]]
    return found


def _gone(hour: float) -> float:
    """How much of the day's chances lies before an hour."""
    return float(BY_HOUR[: int(hour)].sum() + BY_HOUR[int(hour) % 24] * (hour % 1)) if hour < 24 else 1.0


def _pace(state: State, left: Floats, share: float, hour: float, cost: Floats, shown: Whole) -> None:
    """Take as many of the chances as let what is `left` last until midnight.

    `cost` is what being `shown` so often costs on average, within `share` of the day; the fewer times that was, the less it says.
    """
    gone = _gone(hour)
    # It is to be through by the day's last hour. At midnight the whole day is before it, as today was.
    rest = max(1 - gone - float(BY_HOUR[23]), float(BY_HOUR[23]) / 2)
    wanted = np.where(gone < 1 - 1e-9, (left - cost) / rest, state.spent_today + left - cost)
    says = shown / (shown + 25.0)
    ratio = np.clip(np.maximum(wanted, 1e-12) * share / np.maximum(cost, 1e-12), 0.25, 4.0) ** says
    ratio = np.where(shown > 0, ratio, 1 + 0.3 * share * 24)
    # While there is nothing left, that nothing is shown says nothing.
    state.pace = np.where(left > 0, np.clip(state.pace * ratio, 0.0002, 1.0), state.pace)


def conversion_rates(
    people: People, person: Whole, rate: float, page_quality: float | Floats = 1.0
) -> Floats:
    """How likely each of these, having clicked, converts: by segment and band, which the network is not told."""
    band = band_of(people.days[person])
    factor = SEGMENT_RATES[people.segment[person]] * np.array([r for _, r in BANDS])[band]
    return np.asarray(np.minimum(0.9, rate * page_quality * factor))
