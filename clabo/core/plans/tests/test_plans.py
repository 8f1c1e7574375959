"""Plans: ranges, sentences and comparisons, against plain loops and drawn histories."""

from __future__ import annotations

import math
from dataclasses import replace
from datetime import date
from unittest import TestCase

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from clabo.core.evidence import Counts, Interval
from clabo.core.plans import (
    Chances,
    Facts,
    Past,
    Practice,
    Pulse,
    Shared,
    Weeks,
    Worth,
    checks,
    compared,
    outlook,
    pulse,
)
from clabo.core.plans.outlook import _rates

weeks_of = st.lists(
    st.builds(
        Practice,
        st.integers(0, 900),
        st.integers(0, 4000),
        st.floats(0, 200),
        st.tuples(st.integers(0, 80), st.integers(0, 80)),
    ),
    min_size=19,
    max_size=45,
)
counts = st.integers(0, 400).flatmap(lambda n: st.builds(Counts, st.integers(0, n), st.just(n)))
pasts = st.builds(Past, st.lists(counts, min_size=1, max_size=6).map(tuple), st.booleans())


class Looking(TestCase):
    @settings(max_examples=60, deadline=None)
    @given(
        weeks_of, pasts, pasts, st.one_of(st.none(), st.builds(Worth, st.floats(1, 300), st.floats(0, 90)))
    )
    def test_limits_are_in_order_and_weeks_are_read_off(
        self, weeks: list[Practice], one: Past, other: Past, worth: Worth | None
    ) -> None:
        found = outlook(weeks, [one, other], worth)
        k = (len(weeks) + 1) // 20
        for name in ("reached", "shown", "cost"):
            values = sorted(getattr(w, name) for w in weeks)
            limits = getattr(found, name)
            self.assertTrue(values[0] <= limits.low <= values[k - 1], name)
            self.assertTrue(values[-k] <= limits.high <= values[-1], name)
            if name != "cost":
                self.assertEqual(limits.low, (values[k - 1] + values[max(k - 2, 0)]) // 2)
        clicks = sorted(sum(w.clicks) for w in weeks)
        self.assertLessEqual(found.clicks.high, clicks[-1])
        assert found.conversions and found.cost_of_one
        for limits in (found.conversions, found.cost_of_one, found.roas or found.conversions):
            self.assertTrue(0 <= limits.low <= limits.middle <= limits.high)
        self.assertLessEqual(found.conversions.high, clicks[-1])
        self.assertEqual(found.conversions.low, math.floor(found.conversions.low))
        if worth is None:
            self.assertIsNone(found.roas)

    def test_nothing_known_nothing_said(self) -> None:
        weeks = [Practice(1, 1, 1.0, (1, 1))] * 20
        self.assertIsNone(outlook(weeks, [Past((Counts(3, 300),)), None], None).conversions)
        with self.assertRaises(ValueError):
            outlook(weeks[:18], [None, None], None)
        with self.assertRaises(ValueError):
            outlook(weeks, [None], None)

    def test_the_spread_between_campaigns_is_found(self) -> None:
        """Rates drawn about 6 % by as much as the data say, and never by less than the floor."""
        chance = np.random.default_rng(4)
        for spread in (0.0, 1.2):
            size = 0.06 * 0.94 / max((0.06 * spread) ** 2, 1e-12) - 1
            rates = chance.beta(0.06 * size, 0.94 * size, 60) if spread else np.full(60, 0.06)
            past = Past(tuple(Counts(int(chance.binomial(800, r)), 800) for r in rates))
            drawn = _rates(past, np.random.default_rng(1))
            self.assertAlmostEqual(drawn.mean() / past.whole.rate, 1, delta=0.05)
            self.assertAlmostEqual(drawn.std() / drawn.mean(), max(spread, 0.45), delta=0.3)

    def test_nine_of_ten_new_campaigns_fall_inside(self) -> None:
        chance, inside = np.random.default_rng(5), 0
        for seed in range(300):
            rate = chance.beta(4, 60, 6)
            past = Past(tuple(Counts(int(chance.binomial(300, r)), 300) for r in rate[:5]))
            clicks = chance.poisson(60, 40)
            weeks = [Practice(500, 1500, 40.0, (int(n),)) for n in clicks[:39]]
            found = outlook(weeks, [past], None, seed).conversions
            assert found is not None
            inside += found.low <= chance.binomial(clicks[39], rate[5]) <= found.high
        self.assertGreaterEqual(inside / 300, 0.87)


FACTS = Facts(
    900,
    0,
    3,
    15.0,
    0.9,
    "lead",
    40,
    0,
    None,
    [("/guide", "fine", 0)],
    [],
    Weeks(600, 500, 98.0, 0.001, 2.1),
    "EUR",
)


def codes(**changes: object) -> dict[str, str]:
    return {f.says.code: f.weight for f in checks(replace(FACTS, **changes))}  # type: ignore[arg-type]


class Checking(TestCase):
    def test_one_sentence_for_what_is_wrong(self) -> None:
        self.assertEqual(codes(), {"plan_enough": "fine", "plan_not_worn_out": "fine"})
        for changes, code, weight in (
            ({"people": 99}, "plan_too_few", "stops"),
            ({"conversions": 0}, "plan_aim_never", "stops"),
            ({"pages": [("/a", "stopped", 0)]}, "plan_page_stopped", "stops"),
            ({"pages": [("/a", "unseen", 0)]}, "plan_page_unseen", "stops"),
            ({"pages": [("/a", "fine", 451)]}, "plan_refused", "doubt"),
            ({"converted": 19}, "plan_converted", "doubt"),
            ({"daily_budget": 0.8}, "plan_one_click", "stops"),
            ({"least_part": 0.89}, "plan_part_one_click", "doubt"),
            ({"weeks": Weeks(600, 500, 0.0, 0.0, 0.0, True)}, "plan_outbid", "doubt"),
            ({"weeks": Weeks(600, 500, 50.0, 0.001, 2.0)}, "plan_budget_idle", "doubt"),
            ({"weeks": Weeks(600, 500, 98.0, 0.03, 2.0), "cap": 9}, "plan_worn_out", "doubt"),
            ({"cap": 0}, "plan_no_cap", "doubt"),
            ({"shared": [Shared("Other", 19, 7)]}, "plan_outbids", "doubt"),
        ):
            with self.subTest(code=code):
                self.assertEqual(codes(**changes).get(code), weight)
        for changes, code in (
            ({"people": 20, "new_people": 80}, "plan_too_few"),
            ({"pages": [("/a", "fine", 450)]}, "plan_refused"),
            ({"pages": [("/a", "fine", 900)], "category": "purchase"}, "plan_refused"),
            ({"converted": 18}, "plan_converted"),
            ({"least_part": 0.9}, "plan_part_one_click"),
            ({"shared": [Shared("Other", 18, 7)]}, "plan_outbids"),
        ):
            with self.subTest(fine=code):
                self.assertNotIn(code, codes(**changes))

    def test_what_stops_it_comes_first(self) -> None:
        order = list(codes(conversions=0, cap=0, converted=90).values())
        self.assertEqual(order, sorted(order, key=["stops", "doubt", "fine"].index))


DAYS = [date(2026, 11, n) for n in range(2, 9)]
FULL = Pulse(
    15.0,
    DAYS,
    [14.9] * 7,
    900,
    600,
    1500,
    Chances(9000, 6000, 500, 900),
    Counts(40, 4000),
    Counts(38, 4000),
    None,
    2.22,
    "EUR",
)


def beats(**changes: object) -> list[str]:
    return [t.code for t in pulse(replace(FULL, **changes))]  # type: ignore[arg-type]


class Beating(TestCase):
    def test_how_it_is_doing(self) -> None:
        self.assertEqual(beats(), ["plan_spends_all"])
        self.assertEqual(beats(roas=Interval(2.5, 3.0, 3.6)), ["plan_raise"])
        self.assertEqual(beats(costs=[10.0] * 7), [])
        self.assertEqual(beats(costs=[]), [])
        self.assertEqual(beats(costs=[10.0] * 7, roas=Interval(2.5, 3.0, 3.6)), ["plan_pays"])
        low = {"costs": [14.9, 4.0, 5.0, 1.0, 2.0, 3.0, 1.0]}
        self.assertEqual(beats(**low, chances=Chances(9000, 100, 300, 8000)), ["plan_idle_outbid"])
        self.assertEqual(beats(**low, chances=Chances(9000, 100, 8000, 300)), ["plan_idle_capped"])
        self.assertEqual(beats(**low, chances=Chances(9000, 100, 300, 300)), ["plan_idle_few"])
        self.assertEqual(beats(**low, people=40, chances=Chances(9, 0, 0, 9)), ["plan_idle_few"])
        self.assertEqual(beats(gone=["Lookers"]), ["plan_audience_gone"])
        self.assertEqual(beats(**low, gone=["a", "b"])[:2], ["plan_audience_gone"] * 2)
        tired = {"costs": [10.0] * 7, "shown": 6000, "last_clicks": Counts(21, 6000)}
        self.assertEqual(beats(**{**tired, "last_clicks": Counts(21, 4000)}), [])
        self.assertEqual(beats(**tired), ["plan_tired"])
        self.assertEqual(beats(**{**tired, "last_clicks": Counts(50, 6000)}), [])
        self.assertEqual(beats(costs=[10.0] * 7, roas=Interval(0.2, 0.9, 2.0)), ["plan_loses"])


strata = st.dictionaries(
    st.integers(0, 9),
    st.tuples(
        st.integers(1, 4000).flatmap(lambda n: st.builds(Counts, st.integers(0, min(n, 30)), st.just(n))),
        st.integers(1, 4000).flatmap(lambda n: st.builds(Counts, st.integers(0, min(n, 30)), st.just(n))),
    ),
    max_size=8,
)


class Comparing(TestCase):
    @given(strata)
    def test_the_difference_is_the_weighted_one(self, of: dict[int, tuple[Counts, Counts]]) -> None:
        found = compared(of)
        one, other = (sum(pair[side].conversions for pair in of.values()) for side in (0, 1))
        if min(one, other) < 5:
            self.assertEqual(found.outcome, "too_early")
            return
        top = sum((b.rate - a.rate) * a.trials * b.trials / (a.trials + b.trials) for a, b in of.values())
        bottom = sum(a.trials * b.trials / (a.trials + b.trials) for a, b in of.values())
        assert found.difference is not None
        self.assertAlmostEqual(found.difference.estimate, top / bottom, 9)
        self.assertEqual(found.outcome == "better", found.difference.low > 0)

    def test_a_budget_that_moves_does_not_turn_the_reading_around(self) -> None:
        """The second is better every day; but it had its turns on the poor days."""
        days = {d: (Counts(30, 1000), Counts(5, 100)) for d in range(6)}
        days |= {d: (Counts(1, 100), Counts(20, 1000)) for d in range(6, 12)}
        found = compared(days)
        assert found.raw is not None and found.difference is not None
        self.assertLess(found.raw.estimate, 0)
        self.assertGreater(found.difference.estimate, 0)
        self.assertTrue(found.turned)

    def test_looked_at_every_day_while_turns_follow_what_was_seen(self) -> None:
        """Two alike: no more than one of twenty histories is ever called."""
        chance, called = np.random.default_rng(6), 0
        for _ in range(200):
            days: dict[int, tuple[Counts, Counts]] = {}
            share, ever = 0.5, False
            for day in range(40):
                rate = chance.uniform(0.001, 0.006)
                n = chance.multinomial(3000, (share, 1 - share))
                days[day] = (
                    Counts(int(chance.binomial(n[0], rate)), int(n[0])),
                    Counts(int(chance.binomial(n[1], rate)), int(n[1])),
                )
                found = compared(days)
                ever |= found.outcome in ("better", "worse")
                sums = [
                    sum(p[s].conversions for p in days.values())
                    / max(1, sum(p[s].trials for p in days.values()))
                    for s in (0, 1)
                ]
                share = float(np.clip(share + (0.1 if sums[0] > sums[1] else -0.1), 0.1, 0.9))
            called += ever
        self.assertLessEqual(called, 10 + 8)
