"""Auctions: the budget holds, the cap holds, prices are the others'; and what is learnt is worth something."""

from __future__ import annotations

from dataclasses import replace
from hashlib import sha256
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import stats

from practice_network.simulation.auction import (
    BANDS,
    BY_HOUR,
    CAP_DAYS,
    CHANCES_A_DAY,
    SEGMENTS,
    Floats,
    Learned,
    People,
    State,
    Terms,
    band_of,
    conversion_rates,
    step,
)

TERMS = Terms(highest_click=0.9, daily_budget=15.0, cap=3, quality=(1.0, 1.2))


def some(count: int, seed: int) -> People:
    chance = np.random.default_rng(seed)
    hashes = [sha256(f"{seed} {n}".encode()).digest() for n in range(count)]
    return People.of_hashes(hashes, chance.uniform(0, 40, count))


def run(people: People, terms: Terms, days: int, seed: int, told: bool = True) -> tuple[float, int]:
    """What it cost, and how many converted; the network is told of them or not."""
    chance = np.random.default_rng(seed)
    state, learned, cost, converted = State.fresh(len(people)), Learned(), 0.0, 0
    for _ in range(days):
        for hour in range(24):
            found = step(people, terms, state, learned.worth(), hour, 1.0, chance)
            cost += found.cost
            band = band_of(people.days[found.person])
            did = chance.random(len(found.person)) < conversion_rates(people, found.person, 0.06)
            converted += int(did.sum())
            if told:
                np.add.at(learned.clicks, (people.segment[found.person], band), 1)
                np.add.at(learned.conversions, (people.segment[found.person][did], band[did]), 1)
        state.next_day()
    return cost, converted


def lines_of(*sizes: int) -> People:
    """So many people of each line."""
    whole = some(sum(sizes), 11)
    return People(whole.chances, whole.segment, whole.days, np.repeat(np.arange(len(sizes)), sizes))


def a_day(people: People, terms: Terms, days: int) -> Floats:
    """What each line costs a day, once a day has gone by."""
    lines = len(terms.shares)
    chance, state, total = np.random.default_rng(12), State.fresh(len(people), lines), np.zeros(lines)
    for day in range(days + 1):
        for hour in range(24):
            step(people, terms, state, np.ones((SEGMENTS, len(BANDS))), hour, 1.0, chance)
        total += state.spent_today if day else 0
        state.next_day()
    return total / days


class Stepping(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(
        st.integers(0, 3000),
        st.floats(0.05, 3),
        st.floats(0, 60),
        st.integers(0, 5),
        st.integers(1, 3),
        st.integers(0, 9),
    )
    def test_budget_cap_and_prices_hold(
        self, count: int, click: float, budget: float, cap: int, creatives: int, seed: int
    ) -> None:
        people, chance = some(count, seed), np.random.default_rng(seed)
        terms = Terms(click, budget, cap, (1.0,) * creatives)
        state, seen = State.fresh(count), np.zeros(count, int)
        for _ in range(10):
            spent, viewers = 0.0, np.zeros(0, int)
            for hour in range(24):
                worth = chance.uniform(1 / 3, 3, (SEGMENTS, len(BANDS)))
                found = step(people, terms, state, worth, hour, 1.0, chance)
                spent += found.cost
                self.assertEqual(found.shown.shape, (1, creatives))
                self.assertEqual(
                    np.bincount(found.viewer_creative, minlength=creatives).tolist(), found.shown[0].tolist()
                )
                viewers = np.append(viewers, found.viewer)
                of = (found.chances, found.held, found.capped, found.outbid, found.shown)
                told = [int(o.sum()) for o in of]
                # What the budget no longer had room for is none of these.
                self.assertGreaterEqual(told[0], sum(told[1:4]) + told[4])
                self.assertTrue((found.price > 0).all() and (found.price <= click + 1e-9).all())
                self.assertLessEqual(len(found.price), found.shown.sum())
            self.assertLessEqual(spent, budget + 1e-9)
            if cap:
                self.assertLessEqual(state.seen_by_day.sum(axis=0).max(initial=0), cap)
            seen += state.seen_by_day[0]
            np.testing.assert_array_equal(np.bincount(viewers, minlength=count), state.seen_by_day[0])
            state.next_day()
        np.testing.assert_array_equal(seen, state.seen)

    def test_each_line_has_its_own_share_and_creatives_their_turns(self) -> None:
        chance = np.random.default_rng(8)
        whole = some(30_000, 8)
        line = np.arange(30_000) % 3
        people = People(whole.chances, whole.segment, whole.days, line)
        terms = Terms(0.9, 12.0, 0, (1.0, 1.0), (0.5, 0.3, 0.2), (0.75, 0.25))
        state, spent, shown = State.fresh(30_000, 3), np.zeros(3), np.zeros((3, 2))
        for _ in range(4):
            cost = np.zeros(3)
            for hour in range(24):
                found = step(people, terms, state, np.ones((SEGMENTS, len(BANDS))), hour, 1.0, chance)
                np.add.at(cost, people.line[found.person], found.price)
                shown += found.shown
            np.testing.assert_allclose(cost, state.spent_today)
            self.assertTrue((cost <= terms.budgets + 1e-9).all(), cost)
            spent += cost
            state.next_day()
        self.assertTrue((spent > 0.85 * 4 * terms.budgets).all(), spent)
        self.assertLess(np.abs(shown[:, 0] / shown.sum(axis=1) - 0.75).max(), 0.03)
        # A budget that one line has not spent is not another's.
        lonely = People(whole.chances, whole.segment, whole.days, np.zeros(30_000, np.int64))
        state = State.fresh(30_000, 3)
        for hour in range(24):
            step(lonely, terms, state, np.ones((SEGMENTS, len(BANDS))), hour, 1.0, chance)
        self.assertLessEqual(state.spent_today[0], 6.0 + 1e-9)

    @settings(max_examples=25, deadline=None)
    @given(
        st.lists(st.integers(0, 900), min_size=1, max_size=5),
        st.floats(0.1, 40),
        st.booleans(),
        st.integers(0, 9),
    )
    def test_a_shared_budget_is_never_more_than_all_of_it(
        self, sizes: list[int], budget: float, smooth: bool, seed: int
    ) -> None:
        """The parts of all lines sum to what the pool has left, at any hour, and no line has more than its people have a use for."""
        chance, lines = np.random.default_rng(seed), len(sizes)
        people = lines_of(*sizes)
        shares = tuple(chance.dirichlet(np.ones(lines)))
        terms = Terms(0.9, budget, 0, (1.0,), shares, pools=(0,) * lines)
        state = State.fresh(len(people), lines)
        for _ in range(3):
            for hour in range(24):
                step(people, terms, state, np.ones((SEGMENTS, len(BANDS))), hour, 1.0, chance, smooth)
                self.assertLessEqual(state.spent_today.sum(), budget + 1e-9)
            state.next_day()

    def test_what_one_line_cannot_spend_of_a_shared_budget_the_others_do(self) -> None:
        people = lines_of(60, 20_000, 20_000)
        terms = Terms(0.9, 12.0, 3, (1.0,), (0.6, 0.3, 0.1))
        apart, shared = (a_day(people, replace(terms, pools=pools), 5) for pools in ((), (0, 0, 0)))
        # Sixty people have no use for 7.20 a day.
        self.assertLess(apart[0], 3.0)
        self.assertLess(apart.sum(), 8.0)
        self.assertGreater(shared.sum(), 0.93 * 12.0)
        # It goes to the others as their own parts are.
        self.assertAlmostEqual(shared[1] / shared[2], 3.0, delta=0.75)

    def test_a_part_below_the_price_of_a_click_is_spent_all_the_same_where_the_budget_is_shared(self) -> None:
        people, terms = lines_of(20_000, 20_000), Terms(0.9, 8.0, 0, (1.0,), (0.98, 0.02))
        apart, shared = (a_day(people, replace(terms, pools=pools), 40) for pools in ((), (0, 0)))
        self.assertLess(apart[1], 0.05)
        # 0.16 a day are its part, and a click costs about 0.40: it has one on some days.
        self.assertTrue(0.05 < shared[1] < 0.35, shared)

    def test_fewer_placements_are_fewer_chances(self) -> None:
        people, counts = some(20_000, 9), []
        for places in (("articles", "stream", "video"), ("video",)):
            chance, state = np.random.default_rng(9), State.fresh(20_000)
            terms = Terms(0.9, 1e9, 0, (1.0,), placements=places)
            counts.append(
                sum(
                    int(
                        step(
                            people, terms, state, np.ones((SEGMENTS, len(BANDS))), h, 1.0, chance
                        ).chances.sum()
                    )
                    for h in range(24)
                )
            )
        self.assertAlmostEqual(counts[1] / counts[0], 0.15, delta=0.01)

    def test_chances_are_as_many_as_they_say(self) -> None:
        people = some(40_000, 1)
        self.assertAlmostEqual(people.chances.mean(), CHANCES_A_DAY, delta=0.15)
        self.assertAlmostEqual(BY_HOUR.sum(), 1.0)
        shares = np.bincount(people.segment, minlength=SEGMENTS) / len(people)
        self.assertLess(np.abs(shares - 1 / SEGMENTS).max(), 0.01)

    def test_the_day_is_spent_over_the_day(self) -> None:
        people, chance = some(60_000, 2), np.random.default_rng(2)
        terms = replace(TERMS, daily_budget=45.0)
        state = State.fresh(len(people))
        for _ in range(3):
            by_hour = [
                step(people, terms, state, np.ones((SEGMENTS, len(BANDS))), h, 1.0, chance).cost
                for h in range(24)
            ]
            state.next_day()
        self.assertGreater(sum(by_hour), 0.9 * terms.daily_budget)
        self.assertGreater(sum(h > 0 for h in by_hour), 15)

    def test_without_a_cap_some_see_it_far_too_often_and_click_less(self) -> None:
        people = some(4000, 3)
        rich = Terms(8.0, 1000.0, 0, (1.0,))
        chance, state, shown, clicks = np.random.default_rng(3), State.fresh(4000), [], []
        for _ in range(21):
            found = [
                step(people, rich, state, np.ones((SEGMENTS, len(BANDS))), h, 1.0, chance) for h in range(24)
            ]
            shown.append(sum(f.shown.sum() for f in found))
            clicks.append(sum(len(f.person) for f in found))
            state.next_day()
        self.assertGreater(np.quantile(state.seen, 0.9), 3 * CAP_DAYS)
        self.assertLess(sum(clicks[14:]) / sum(shown[14:]), 0.5 * clicks[0] / shown[0])

    def test_alike_whether_time_goes_by_in_hours_or_minutes(self) -> None:
        people = some(3000, 4)
        costs = []
        for parts in (1, 6):
            chance, total = np.random.default_rng(5), 0.0
            for seed in range(12):
                state = State.fresh(len(people))
                terms = Terms(0.9, 1e9, 0, (1.0,))
                for hour in range(24):
                    for part in range(parts):
                        worth = np.ones((SEGMENTS, len(BANDS)))
                        total += step(
                            people, terms, state, worth, hour + part / parts, 1 / parts, chance
                        ).cost
                del seed
            costs.append(total)
        self.assertAlmostEqual(costs[0] / costs[1], 1.0, delta=0.12)


class Learning(TestCase):
    def test_a_plan_that_is_told_of_conversions_does_better(self) -> None:
        better = []
        for seed in range(12):
            people = some(6000, seed)
            terms = Terms(1.6, 25.0, 3, (1.0, 1.2))
            told, plain = (run(people, terms, 28, seed, told) for told in (True, False))
            self.assertGreater(min(told[1], plain[1]), 3)
            better.append(plain[0] / plain[1] > told[0] / told[1])
        wins = sum(better)
        self.assertLess(stats.binomtest(wins, len(better), 0.5, "greater").pvalue, 0.05, wins)

    def test_nothing_told_nothing_learnt(self) -> None:
        learned = Learned()
        learned.clicks[:] = 100
        self.assertTrue((learned.worth() == 1).all())
        learned.conversions[5] = 30
        worth = learned.worth()
        self.assertTrue((worth[5] > 1.5).all() and (worth[0] < 1).all())
        self.assertTrue((worth >= 1 / 3).all() and (worth <= 3).all())
