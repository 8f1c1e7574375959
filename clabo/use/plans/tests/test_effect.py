"""What a plan may bring and what is wrong with it, against what was made to be there."""

from __future__ import annotations

from functools import partial
from math import sqrt
from typing import Any
from unittest.mock import patch

import numpy as np

from clabo.collect.events.models import Page
from clabo.core.trust.identities import digest
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import beacon, event, hit, receive
from clabo.use.audiences.models import Audience
from clabo.use.delivery.syncing.status import ask
from clabo.use.plans import people
from clabo.use.plans.models import AdPlan
from clabo.use.plans.tests.case import PlansCase
from practice_network import lists

SEEN = {"page": {"match": "equals", "value": "/guide"}}


class Effects(PlansCase):
    def effect(self, *those: Audience, **changes: Any) -> dict[str, Any]:
        return dict(self.member.ask("POST", "/plans/effect", self.plan_in(*those, **changes)))

    def says(self, found: dict[str, Any]) -> dict[str, dict[str, Any]]:
        return {f["says"]: f for f in found["findings"]}

    def guide(self) -> Audience:
        return self.audience(include={"what": SEEN, "from": 0, "to": 21, "times": 1})

    def bought(self, first: int, last: int) -> None:
        """Visitors who came by a campaign of a mail and bought."""
        receive(
            hit(self.site, self.now, beacon(n, event(path)))
            for n in range(first, last)
            for path in ("/kit?utm_source=meadow&utm_medium=cpc&utm_campaign=may", "/thank-you")
        )

    def test_people_are_counted_once(self) -> None:
        self.crowd(1, 301, "/kit")
        self.crowd(201, 401, "/guide", days=1)
        receive(hit(self.site, self.now, beacon(9000 + n, event("/kit"))) for n in range(40))
        self.bought(1, 51)
        lookers, guide = self.lookers(exclude=False), self.guide()
        buyers = self.audience(
            include={"what": {"conversion": self.rule.pk}, "from": 0, "to": 365, "times": 1}
        )
        found = self.effect(lookers, guide)
        first, second = found["lines"]
        # 300 and 40 who have stated nothing; then those of the guide who are not among them.
        self.assertEqual((first["people"], first["identities"]), (340, 300))
        self.assertEqual((second["people"], second["identities"], found["people"]), (100, 100, 440))
        self.assertEqual((found["told"], first["known"]), (False, 180))
        out = self.effect(lookers, guide, left_out=[buyers.pk])
        self.assertEqual([line["people"] for line in out["lines"]], [290, 100])
        self.assertIn("Some of them have done it already.", self.says(found))
        self.assertEqual(self.says(found)["Some of them have done it already."]["on"], buyers.pk)
        self.assertNotIn("Some of them have done it already.", self.says(out))
        # Once the channel has said whom it knows, that is what counts.
        self.use(lookers)
        run_jobs()
        ask(self.channel)
        known = sum(
            lists.is_known(lists.Member("email", bytes.fromhex(digest("email", f"{n}@example.com"))))
            for n in range(1, 301)
        )
        told = self.effect(lookers)
        self.assertEqual((told["told"], told["lines"][0]["known"]), (True, known))

    def test_of_very_many_identities_are_counted_on_a_part(self) -> None:
        self.crowd(1, 301, "/kit")
        receive(hit(self.site, self.now, beacon(9000 + n, event("/kit"))) for n in range(300))
        everybody = self.lookers(exclude=False)

        def reach() -> people.Reach:
            return people.PlanPeople(self.site).reach([everybody], [], self.channel)

        self.assertEqual((reach().rough, reach().identities), (False, [300]))
        found = []
        for seed in range(30):
            chance = np.random.default_rng(seed)
            with (
                patch.object(people, "COUNTED", 60),
                patch.object(people, "drawing", partial(lambda c: c, chance)),
            ):
                told = reach()
            self.assertEqual((told.rough, len(told.lines[0])), (True, 600))
            found.append(told.identities[0])
        # 60 of 600 are drawn, of whom about half have one (hypergeometric): ten times as many.
        deviation = 10 * sqrt(60 * 0.5 * 0.5 * (600 - 60) / (600 - 1))
        self.assertLess(abs(np.mean(found) - 300), 3 * deviation / sqrt(30))
        self.assertLess(abs(np.std(found, ddof=1) / deviation - 1), 0.5)

    def test_a_part_too_small_for_a_click(self) -> None:
        self.crowd(1, 301, "/kit")
        self.crowd(301, 601, "/guide")
        lines = [{"audience": self.lookers().pk, "share": "9"}, {"audience": self.guide().pk, "share": "1"}]
        says = "One of its audiences has too little to pay for a click."
        found = self.says(self.effect(lines=lines, daily_budget="8"))[says]
        self.assertIn("the least is €0.80, and a click costs up to €0.90", found["because"])
        self.assertEqual((found["remedy"], found["on"]), ("budget", 18))
        for changes in ({"daily_budget": "18"}, {"sharing": "shared"}):
            now = self.effect(**{"lines": lines, "daily_budget": "8", **changes})
            self.assertNotIn(says, self.says(now))

    def test_ranges_and_what_they_rest_on(self) -> None:
        self.crowd(1, 901, "/kit")
        receive(
            hit(self.site, self.now, beacon(20_000 + n, event(path)))
            for n in range(200)
            for path in (
                "/kit?utm_source=meadow&utm_medium=cpc&utm_campaign=may",
                *(["/thank-you"] if n < 20 else []),
            )
        )
        found = self.effect(self.lookers())
        self.assertEqual(
            found["rests_on"],
            [{"path": "/kit", "campaigns": 1, "clicks": 200, "conversions": 20, "elsewhere": False}],
        )
        look = found["outlook"]
        for name in ("reached", "shown", "cost", "clicks", "conversions", "roas"):
            limits = look[name]
            self.assertTrue(limits["low"] <= limits["middle"] <= limits["high"], name)
        self.assertLessEqual(look["reached"]["high"], found["lines"][0]["known"])
        self.assertLessEqual(look["cost"]["high"], 140)
        self.assertLess(look["clicks"]["low"], look["clicks"]["high"])
        # With none the cost of one is without end, and that is said.
        self.assertEqual(look["conversions"]["low"] == 0, look["cost_of_one"]["high"] is None)
        self.assertAlmostEqual(sum(found["often"]), found["lines"][0]["known"], 6)
        self.assertEqual(self.effect(self.lookers())["outlook"], look)
        # Without a past nobody knows what clicks lead to.
        bare = self.effect(self.lookers(), creatives=[{"headline": "Bees", "landing": "/nowhere"}])
        self.assertTrue(bare["rests_on"][0]["elsewhere"])
        self.assertIn("Nobody was ever seen on https://shop.example/nowhere.", self.says(bare))

    def test_without_a_past_and_with_the_network_away(self) -> None:
        self.crowd(1, 301, "/kit")
        found = self.effect(self.lookers())
        self.assertEqual((found["rests_on"], found["outlook"]["conversions"]), ([], None))
        self.assertIn("What it is for has never happened.", self.says(found))
        self.network.switch(away=True)
        away = self.effect(self.lookers())
        self.assertEqual((away["outlook"], away["people"]), (None, 300))
        self.assertIn("went wrong", away["away"])
        self.network.switch()
        empty = self.effect()
        self.assertEqual((empty["people"], empty["outlook"], empty["findings"]), (0, None, []))

    def test_what_is_wrong(self) -> None:
        self.crowd(1, 301, "/kit")
        self.bought(20_000, 20_010)
        lookers = self.lookers()
        self.assertIn("Too few people.", self.says(self.effect(self.guide())))
        free = self.says(self.effect(lookers, cap=0))
        self.assertEqual(free["Nothing keeps one person from seeing it far too often."]["on"], 3)
        self.assertIn("Nobody is worn out.", self.says(self.effect(lookers)))
        idle = self.says(self.effect(lookers, daily_budget="500"))
        self.assertLess(idle["There is more money than people."]["on"], 100)
        self.assertIn("Others would bid more.", self.says(self.effect(lookers, highest_click="0.01")))
        one = self.says(self.effect(lookers, daily_budget="0.50"))
        self.assertEqual(one["The day’s budget does not pay for one click."]["weight"], "stops")
        # A shop may lead back to what was refused; a lead offer had better not.
        refused = "Most of them have just refused this page."
        self.assertNotIn(refused, self.says(self.effect(lookers)))
        self.rule.category = "lead"
        self.rule.save()
        self.assertIn("300 of 300 saw /kit", self.says(self.effect(lookers))[refused]["because"])
        elsewhere = [{"headline": "Bees", "landing": "/thank-you"}]
        self.assertNotIn(refused, self.says(self.effect(lookers, creatives=elsewhere)))
        Page.objects.filter(path="/kit").update(stopped_at=self.now)
        self.assertIn("The tag on /kit has stopped.", self.says(self.effect(lookers)))

    def test_plans_that_outbid_each_other(self) -> None:
        self.crowd(1, 201, "/kit")
        self.crowd(101, 301, "/guide", days=1)
        lookers, guide = self.lookers(), self.guide()
        other = self.make(guide, name="Guide readers")
        self.assertNotIn("It outbids", str(self.effect(lookers)["findings"]))
        AdPlan.objects.update(state="running")
        found = self.says(self.effect(lookers))["It outbids your own plan “Guide readers”."]
        self.assertEqual((found["because"], found["on"]), ("100 people are in both.", guide.pk))
        self.assertNotIn("It outbids", str(self.effect(lookers, left_out=[guide.pk])["findings"]))
        # Not its own self.
        mine = self.member.ask(
            "POST", f"/plans/effect?plan={other.pk}", self.plan_in(guide, name="Guide readers")
        )
        self.assertNotIn("It outbids", str(mine["findings"]))
