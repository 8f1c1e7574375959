"""Visitors in a test who are shown no variant: nobody sees anything of it there, and they are measured all the same."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from decimal import Decimal

from clabo.collect.events import daysums
from clabo.collect.events.models import Visit
from clabo.core.evidence import Moments
from clabo.core.splits.assignment import hash32
from clabo.judge.splits import life, queries, services
from clabo.judge.splits.analysis import results
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.judge.splits.tests.test_life import LifeCase
from clabo.judge.splits.tests.test_split_tests import STARTED
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, receive, walk


def drawn(visitor: int, test: SplitTest) -> str:
    """Whom the lot gives what, said once more: 60 and 40 of a hundred who are not held out, of which 20 are."""
    place = hash32(f"{test.key}.{visitor:032x}") / 2**32 * 100
    return "A" if place < 48 else "B" if place < 80 else "-"


class HeldOut(LifeCase):
    def test_figures_against_a_plain_loop(self) -> None:
        chance = random.Random(5)
        test = self.running(shares=[60, 40], held_out=20)
        seen: dict[str, list[float]] = {"A": [], "B": [], "-": []}
        hits = []
        for visitor in range(5000, 5600):
            letter = drawn(visitor, test)
            at = STARTED + timedelta(minutes=visitor % 7 * 1100 + visitor / 60)
            path = "/b" if letter == "B" else "/a"
            # Some claim what the lot did not give them: they are in no arm.
            forged = chance.random() < 0.05
            claim = {"A": "-", "B": "A", "-": "B"}[letter] if forged else letter
            hits.append(hit(self.site, at, beacon(visitor, event(path, variants={test.key: claim}))))
            orders = chance.choice([0, 0, 0, 1, 1, 2])
            for n in range(orders):
                hits += walk(self.site, visitor, at + timedelta(minutes=4 + n * 50), "/thank-you")
            if not forged:
                seen[letter].append(59.0 * orders)
        receive(hits)
        r = self.result(test)
        for arm in r.arms:
            brought = seen[arm.variant.letter]
            self.assertEqual(arm.counts.trials, len(brought))
            self.assertEqual(arm.counts.conversions, sum(v > 0 for v in brought))
            self.assertEqual(arm.value_sum, Decimal(round(sum(brought))))
        held = r.held
        assert held
        shown = seen["A"] + seen["B"]
        self.assertEqual((held.counts.trials, held.shown.trials), (len(seen["-"]), len(shown)))
        self.assertEqual(held.counts.conversions, sum(v > 0 for v in seen["-"]))
        self.assertEqual(held.shown.conversions, sum(v > 0 for v in shown))
        self.assertAlmostEqual(held.value.variance, Moments.of(seen["-"]).variance, places=6)
        self.assertAlmostEqual(held.against.range.estimate, held.shown.rate - held.counts.rate)
        self.assertLess(held.against.range.low, held.against.range.estimate)
        # The lot is fair over all three.
        self.assertFalse(r.health.broken)
        expected = [600 * part for part in (0.48, 0.32, 0.2)]
        for n, of in zip((*(a.counts.trials for a in r.arms), held.counts.trials), expected, strict=True):
            self.assertAlmostEqual(n, of, delta=60)
        # Audiences and paths know of no such variant.
        tests = queries.tests_for_audiences(self.site.pk)
        self.assertEqual(tests.letters[test.pk], "AB")
        self.assertFalse(tests.exposures.filter(letter="-").exists())
        answer = Member(self.site).ask("GET", f"/tests/{test.pk}")
        told = answer["held"]
        self.assertEqual((told["visitors"], told["converted"]), (held.counts.trials, held.counts.conversions))
        self.assertEqual(told["shown_visitors"], len(shown))

    def test_a_result_that_is_kept_is_as_one_read_anew(self) -> None:
        """Late hits, robots, people who go: whatever happens, what is kept of days says what all rows say."""
        chance = random.Random(11)
        test = self.running(shares=[60, 40], held_out=20)
        for turn in range(12):
            visitor = 7000 + chance.randrange(40)
            at = STARTED + timedelta(minutes=chance.randrange(60 * 24 * 9))
            match chance.randrange(4):
                case 0 | 1:
                    letter = drawn(visitor, test)
                    path = "/b" if letter == "B" else "/a"
                    receive([hit(self.site, at, beacon(visitor, event(path, variants={test.key: letter})))])
                case 2:
                    receive(walk(self.site, visitor, at, "/thank-you"))
                case 3:
                    some = Visit.objects.filter(site=self.site).order_by("?").first()
                    assert some
                    Visit.objects.filter(pk=some.pk).update(traffic_class=chance.choice([0, 2]))
            now = datetime.now(UTC)
            kept = str(results.result(read_lens(self.site), test, now))
            daysums.forget()
            self.assertEqual(kept, str(results.result(read_lens(self.site), test, now)), turn)

    def test_what_the_tag_is_told(self) -> None:
        test = self.running(shares=[60, 40], held_out=20)
        told = self.told_to_the_tag()[test.key]
        self.assertEqual(told["variants"], [["A", "/a", 48.0], ["B", "/b", 32.0], ["-", "/a", 20]])
        life.adopt(test, "B", shown=True)
        told = self.told_to_the_tag()[test.key]
        self.assertEqual(told["variants"], [["A", "/a", 0], ["B", "/b", 100]])

    def test_bounds(self) -> None:
        for wrong in (-1, 51):
            with self.assertRaises(Problem) as caught:
                services.save_test(self.site, self.content(held_out=wrong))
            self.assertEqual(caught.exception.field, "held_out")
        test = self.running(shares=[10, 90], held_out=50)
        # Half of those shown the control are not there: 5 of a hundred saw it.
        with self.assertRaises(Problem) as caught:
            life.adopt(test, "B", held_back=6)
        self.assertEqual(caught.exception.field, "held_back")
        life.adopt(test, "B", held_back=5)
        follow = SplitTest.objects.get(follows=test)
        self.assertEqual(follow.held_out, 0)
        self.assertEqual(life.copy(test).held_out, 50)
        for n in range(3000):
            if follow.assigned(f"{n:032x}", list(follow.variants.all())) == "A":
                self.assertEqual(test.assigned(f"{n:032x}", list(test.variants.all())), "A")

    def test_without_anybody_held_out_nobody_can_be(self) -> None:
        test = self.running()
        self.come(test, "A", 5, 1, claim="-")
        self.assertFalse(Exposure.objects.exists())
        self.assertIsNone(self.result(test).held)
