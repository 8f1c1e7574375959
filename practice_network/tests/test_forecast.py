"""Practice weeks against weeks of the plan itself."""

from __future__ import annotations

from datetime import date
from unittest import TestCase
from unittest.mock import patch

import numpy as np

from practice_network.plans import Creative, Line, Plan
from practice_network.simulation.forecast import RUNS, Outcome, Size, practise, sizes_of
from practice_network.simulation.population import Seek, identity_of, population


def plan(**changes: object) -> Plan:
    creatives = [Creative(c, c, "", "", "https://shop.example/kit") for c in "ab"]
    content = {
        "campaign": "bees",
        "lines": [Line("x", ["l"], days=(0, 21))],
        "left_out": [],
        "highest_click": 0.9,
        "daily_budget": 12.0,
        "cap": 3,
        "first": date(2026, 11, 2),
        "last": None,
        "creatives": creatives,
    }
    return Plan(**{**content, **changes})  # type: ignore[arg-type]


def mean(of: list[Outcome], name: str) -> float:
    return float(np.mean([sum(v) if isinstance(v := getattr(o, name), list) else v for o in of]))


class Practising(TestCase):
    def test_what_adds_up(self) -> None:
        for people in (0, 7, 900, 5000):
            sizes = [Size(people, (0, 21)), Size(people // 2, (3, 7))]
            lines = [Line("x", ["l"], days=(0, 21), share=3.0), Line("y", ["m"], days=(3, 7))]
            found = practise(plan(lines=lines), sizes, 1)
            self.assertEqual(len(found), RUNS)
            for one in found:
                self.assertEqual(sum(one.often), people + people // 2)
                self.assertAlmostEqual(one.reached, sum(one.often[1:]), delta=1)
                self.assertLessEqual(one.cost, 7 * 12.0 + 1e-6)
                self.assertTrue(all(n == 0 for n in one.often[4:]), one.often)
                self.assertLessEqual(sum(one.clicks), one.shown)

    def test_a_part_of_the_people_says_what_all_of_them_do(self) -> None:
        for budget in (6.0, 400.0):
            of = plan(daily_budget=budget)
            part = practise(of, [Size(6000, (0, 21))], 1, 20)
            with patch("practice_network.simulation.forecast.MOST_PEOPLE", 10_000):
                whole = practise(of, [Size(6000, (0, 21))], 2, 20)
            for name in ("reached", "shown", "cost", "clicks"):
                with self.subTest(budget=budget, name=name):
                    self.assertAlmostEqual(mean(part, name) / mean(whole, name), 1.0, delta=0.15)

    def test_a_shared_budget_is_spent_where_one_line_has_too_few_people(self) -> None:
        lines, sizes = [Line("x", ["l"]), Line("y", ["m"])], [Size(30, (0, 7)), Size(20_000, (0, 7))]
        apart, shared = (
            practise(plan(lines=lines, sharing=sharing), sizes, 1) for sharing in ("fixed", "shared")
        )
        self.assertLess(mean(apart, "cost"), 0.7 * 7 * 12.0)
        self.assertGreater(mean(shared, "cost"), 0.9 * 7 * 12.0)
        for one in shared:
            self.assertLessEqual(one.cost, 7 * 12.0 + 1e-6)

    def test_without_a_cap_some_see_it_more_often(self) -> None:
        few = [Size(300, (0, 3))]
        capped, free = (practise(plan(cap=cap, daily_budget=60.0), few, 1) for cap in (3, 0))
        self.assertEqual(sum(o.often[10] for o in capped), 0)
        self.assertGreater(mean(free, "shown"), mean(capped, "shown"))
        self.assertGreater(sum(o.often[10] for o in free), 0)

    def test_new_people_are_those_who_are_not_left_out(self) -> None:
        seek = Seek("Carrow", 20.0, ("gardening", "cooking"), True)
        mine = population().matching(seek)
        out = [identity_of(int(p)) for p in mine[::2]]
        sizes = sizes_of(plan(lines=[Line("n", seek=seek), Line("x", ["l"])]), [0, 40], out)
        self.assertEqual([s.people for s in sizes], [len(mine) // 2, 40])
