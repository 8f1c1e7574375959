"""Guards and further measures, each figure made again from the hits by a plain loop."""

from __future__ import annotations

import random
from datetime import timedelta
from decimal import Decimal
from typing import Any

from clabo.core.evidence import Counts, Moments, compare_means, compare_rates, holm
from clabo.core.splits.measures import Measure
from clabo.judge.splits import services
from clabo.judge.splits.analysis.measures import measure_results
from clabo.judge.splits.analysis.post_exposure_outcomes import arm_at_once
from clabo.judge.splits.analysis.readings import Plan
from clabo.judge.splits.tests.test_split_tests import STARTED, SplitCase
from clabo.platform.problems import Problem
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, receive, walk


class Measured(SplitCase):
    def setUp(self) -> None:
        super().setUp()
        self.refund = make_rule(self.site, "/refund", name="refund", value=Decimal(20))
        self.measures: list[dict[str, Any]] = [
            {"what": "rate", "conversion": self.refund.pk, "lower_is_better": True},
            {"what": "value", "conversion": self.rule.pk},
            {"what": "bounce", "guard": True, "margin": 0.1},
        ]

    def test_every_figure_is_what_a_loop_over_the_hits_makes(self) -> None:
        test = self.running(measures=self.measures)
        chance = random.Random(8)
        # Of each visitor: orders, refunds, and whether there was nothing but one view.
        seen: dict[str, list[tuple[int, int, bool]]] = {"A": [], "B": []}
        hits = []
        for letter, n in (("A", 300), ("B", 300)):
            for order, visitor in zip(range(n), self.people(test, letter), strict=False):
                at = STARTED + timedelta(hours=order % 150, seconds=order)
                hits.append(
                    hit(
                        self.site,
                        at,
                        beacon(visitor, event(f"/{letter.lower()}", variants={test.key: letter})),
                    )
                )
                likely = 0.3 if letter == "A" else 0.7
                bought, back = chance.random() < 0.3, chance.random() < 0.2
                stays = chance.random() > likely
                path = ["/thank-you"] * bought + ["/refund"] * back
                if stays and not path:
                    path = ["/about"]
                for step, where in enumerate(path):
                    hits += walk(self.site, visitor, at + timedelta(minutes=2 + step), where)
                seen[letter].append((int(bought), int(back), not path))
        receive(hits)
        member = Member(self.site)
        told = member.ask("GET", f"/tests/{test.pk}")
        guard, refunds, value = told["measures"]
        self.assertEqual([m["name"] for m in told["measures"]], [None, self.refund.name, self.rule.name])
        for letter, people in seen.items():
            arm = {a["letter"]: a for a in guard["arms"]}[letter]
            self.assertEqual((arm["did"], arm["visitors"]), (sum(p[2] for p in people), len(people)))
            arm = {a["letter"]: a for a in refunds["arms"]}[letter]
            self.assertEqual(arm["did"], sum(p[1] for p in people))
            arm = {a["letter"]: a for a in value["arms"]}[letter]
            self.assertAlmostEqual(arm["mean"], 59 * sum(p[0] for p in people) / len(people))
        counts = {k: Counts(sum(p[2] for p in people), len(people)) for k, people in seen.items()}
        self.assertEqual(guard["against"][0]["standing"], "fails")
        gap = counts["B"].rate - counts["A"].rate
        self.assertAlmostEqual(guard["against"][0]["range"]["estimate"], gap)
        # The guards are one, the further measures two: p-values are Holm's over those.
        self.assertAlmostEqual(
            guard["against"][0]["p_value"], compare_rates(counts["A"], counts["B"]).p_value
        )
        back = [Counts(sum(p[1] for p in seen[k]), len(seen[k])) for k in "AB"]
        worth = [Moments.of([59.0 * p[0] for p in seen[k]]) for k in "AB"]
        plain = [compare_rates(*back).p_value, compare_means(*worth).p_value]
        shown = [refunds["against"][0]["p_value"], value["against"][0]["p_value"]]
        for one, expected in zip(shown, holm(plain), strict=True):
            self.assertAlmostEqual(one, expected)

    def test_a_range_is_wider_the_more_of_a_sort_are_read(self) -> None:
        day = STARTED.date()
        arms = {letter: arm_at_once({day: 200}, {day: 40}, [day]) for letter in "AB"}
        plan = Plan(1000, {"A": 50, "B": 50}, 0.95)

        def width(*measures: Measure) -> float:
            some = [(m, self.rule) for m in measures]
            found = measure_results(some, lambda *_: arms, [day], 1, plan)
            return found[0].against[0].range.high - found[0].against[0].range.low

        one, other = Measure("rate", 1), Measure("rate", 2)
        guard = Measure("bounce", guard=True, lower_is_better=True)
        self.assertGreater(width(one, other), width(one))
        self.assertEqual(width(one, guard), width(one))

    def test_errors_name_the_measure(self) -> None:
        plain = make_rule(self.site, "/about", name="about")
        for measure, field in (
            ({"what": "rate", "conversion": 10**9}, "measures[0].conversion"),
            ({"what": "value", "conversion": plain.pk}, "measures[0].conversion"),
            ({"what": "rate", "conversion": self.rule.pk}, "measures[0].conversion"),
            ({"what": "bounce", "guard": True, "margin": 2}, "measures[0].margin"),
        ):
            with self.assertRaises(Problem) as caught:
                services.save_test(self.site, self.content(measures=[measure]))
            self.assertEqual(caught.exception.field, field, measure)
