"""From a draft to a verdict: who is let in, what is counted, what cannot be changed."""

from __future__ import annotations

import math
import random
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from itertools import count
from typing import Any
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.ingest.directory import tag_site
from clabo.core.evidence import Counts, Moments, compare_means, confidence_sequence
from clabo.core.evidence.experiments.daily import bounds
from clabo.core.splits.assignment import Slot, assign
from clabo.judge.splits import life, services
from clabo.judge.splits.analysis import results
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.platform.problems import Problem
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.models import Conversion
from clabo.setup.monitoring.tags import watch_site
from clabo.setup.sites.fetching import Fetched
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive, walk

ROBOT = "Mozilla/5.0 (compatible; examplebot/2.1)"
STARTED = datetime.now(UTC).replace(hour=8, minute=0, second=0, microsecond=0) - timedelta(days=10)


class SplitCase(TestCase):
    def setUp(self) -> None:
        # The lots are drawn with the tests' keys: the same people fall to the same variants at every run.
        keys = random.Random(self.id())
        drawn = patch("clabo.judge.splits.models.secrets.token_hex", lambda n: keys.randbytes(n).hex())
        drawn.start()
        self.addCleanup(drawn.stop)
        self.site = make_site(time_zone="UTC")
        self.rule = make_rule(self.site, "/thank-you", value=Decimal(59))
        receive(walk(self.site, 1, STARTED - timedelta(days=1), "/a", "/b", "/c"))

    def content(self, **changes: Any) -> services.SplitContent:
        fields: dict[str, Any] = {
            "name": "Shorter story",
            "rule": self.rule,
            "addresses": ["/a", "https://shop.example/b/"],
            "shares": [50, 50],
            "traffic": 100,
            "baseline": 0.1,
            "smallest_lift": 0.5,
        }
        return services.SplitContent(**{**fields, **changes})

    def running(self, **changes: Any) -> SplitTest:
        return life.start(services.save_test(self.site, self.content(**changes)), STARTED)

    def people(self, test: SplitTest, letter: str) -> Iterator[int]:
        """Visitors whom the lot gives that variant."""
        shares = [v.share for v in test.variants.all()]
        for number in count(1000):
            place = assign(f"{number:032x}", test.key, shares, Slot(test.traffic))
            if place is not None and "ABC"[place] == letter:
                yield number

    def come(self, test: SplitTest, letter: str, people: int, orders: int, claim: str = "") -> None:
        path = "/" + letter.lower()
        hits = []
        for order, visitor in zip(range(people), self.people(test, letter), strict=False):
            at = STARTED + timedelta(hours=1, seconds=order * 20)
            hits.append(
                hit(self.site, at, beacon(visitor, event(path, variants={test.key: claim or letter})))
            )
            if order < orders:
                hits += walk(self.site, visitor, at + timedelta(minutes=3), "/thank-you")
        receive(hits)

    def result(self, test: SplitTest, **lens: Any) -> results.Result:
        return results.result(read_lens(self.site, **lens), test)


class Drafts(SplitCase):
    def test_errors_name_the_field(self) -> None:
        for changes, field in (
            ({"name": " "}, "name"),
            ({"traffic": 0}, "traffic"),
            ({"shares": [50, 40]}, "shares"),
            ({"shares": [100]}, "shares"),
            ({"baseline": 0.0}, "baseline"),
            ({"baseline": 0.8, "smallest_lift": 0.5}, "smallest_lift"),
            ({"addresses": ["/a", "/a/"]}, "addresses.1"),
            ({"addresses": ["/a", "https://elsewhere.example/b"]}, "addresses.1"),
            ({"addresses": ["javascript:1//", "/b"]}, "addresses.0"),
        ):
            with self.assertRaises(Problem, msg=changes) as caught:
                services.save_test(self.site, self.content(**changes))
            self.assertEqual(caught.exception.field, field)
        self.assertFalse(SplitTest.objects.exists())

    def test_the_states_and_what_each_allows(self) -> None:
        test = services.save_test(self.site, self.content())
        self.assertNotIn(test.key, tag_site(self.site).settings.decode())
        with self.assertRaises(Problem):
            life.end(test)
        test = life.start(test)
        self.assertIn(test.key, tag_site(self.site).settings.decode())
        for forbidden in (
            lambda: life.start(test),
            lambda: services.save_test(self.site, self.content(name="x"), test),
            lambda: life.remove(test),
        ):
            with self.assertRaises(Problem) as caught:
                forbidden()
            self.assertEqual(caught.exception.status, 409)
        life.end(test)
        self.assertNotIn(test.key, tag_site(self.site).settings.decode())

    def test_a_page_without_a_hit_or_in_another_test_cannot_start(self) -> None:
        unseen = services.save_test(self.site, self.content(addresses=["/a", "/new"]))
        with self.assertRaises(Problem) as caught:
            life.start(unseen)
        self.assertIn("/new", caught.exception.detail)
        self.running()
        second = services.save_test(self.site, self.content(addresses=["/c", "/b"]))
        with self.assertRaises(Problem) as caught:
            life.start(second)
        self.assertIn("Shorter story", caught.exception.detail)

    def test_what_was_recorded_of_the_control(self) -> None:
        now = datetime.now(UTC) - timedelta(days=2)
        receive(walk(self.site, 2, now, "/a", "/thank-you") + walk(self.site, 3, now, "/thank-you", "/a"))
        receive([hit(self.site, now + timedelta(hours=3), beacon(3, event("/thank-you")), ROBOT)])
        found = results.recorded(self.site, services.pages_of(self.site, ["/a"])[0], self.rule)
        self.assertEqual((found.visitors, found.converted), (3, 1))

    def test_a_challenger_rests_once_its_test_has_ended(self) -> None:
        """That nobody is shown it any more is no fault of its tag, unless it is visited for longer."""
        test = self.running()
        end = STARTED + timedelta(days=9)
        receive(
            [
                each
                for hour in range(24 * 9)
                for each in walk(self.site, hour + 1, STARTED + timedelta(hours=hour), "/a", "/b")
            ]
        )
        later = end + timedelta(days=3)
        self.assertEqual({p.path for p in watch_site(self.site, later)}, {"/a", "/b"})
        life.end(test, end)
        self.assertEqual({p.path for p in watch_site(self.site, later)}, {"/a"})
        receive(walk(self.site, 900, end + timedelta(days=1, hours=1), "/b"))
        self.assertEqual({p.path for p in watch_site(self.site, later + timedelta(days=2))}, {"/a", "/b"})


class Exposures(SplitCase):
    def test_only_what_the_hash_confirms_while_the_test_runs(self) -> None:
        test = self.running()
        self.come(test, "A", 5, 0)
        self.come(test, "B", 5, 0)
        self.come(test, "A", 9, 0, claim="B")  # forged
        before = STARTED - timedelta(hours=5)
        person = next(self.people(test, "B")) + 10**6
        for key, at in ((test.key, before), ("f" * 8, STARTED + timedelta(hours=2))):
            receive([hit(self.site, at, beacon(person, event("/b", variants={key: "B"})))])
        counts = {letter: Exposure.objects.filter(letter=letter).count() for letter in "AB"}
        self.assertEqual(counts, {"A": 5, "B": 5})

    def test_the_first_exposure_stays(self) -> None:
        test = self.running()
        self.come(test, "B", 3, 0)
        self.come(test, "B", 3, 0)
        self.assertEqual(Exposure.objects.count(), 3)


class Results(SplitCase):
    def test_numbers_are_those_of_the_core(self) -> None:
        test = self.running()
        self.come(test, "A", 200, 20)
        self.come(test, "B", 200, 60)
        found = self.result(test)
        control, challenger = Counts(20, 200), Counts(60, 200)
        self.assertEqual([a.counts for a in found.arms], [control, challenger])
        # All came on the first day, so that its midnight was the only look; 0.045 of 0.05 is the looks'.
        time = 100 / (found.needed / 4)
        bound = bounds([time], 0.045)[0]
        error = math.sqrt(max(0.1 * 0.9 / 199 + 0.3 * 0.7 / 199, 0.2 * 0.8 * 400 / 399 * 2 / 200))
        sequence = confidence_sequence(
            Moments.of_counts(control), Moments.of_counts(challenger), found.needed, 0.995
        )
        expected_low = max(0.2 - bound * error, sequence.low)
        self.assertAlmostEqual(found.against[0].range.low, expected_low, places=9)
        self.assertAlmostEqual(found.against[0].range.high, min(0.2 + bound * error, sequence.high), places=9)
        self.assertEqual(found.against[0].looked_on, STARTED.date())
        values = [Moments.of([59.0] * n + [0.0] * (200 - n)) for n in (20, 60)]
        expected = compare_means(*values).difference
        self.assertAlmostEqual(found.against[0].value.difference.low, expected.low, places=9)
        self.assertEqual(found.verdict.kind, "adopt")
        self.assertEqual(found.decided_on, STARTED.date())
        self.assertGreater(found.arms[1].chance, 0.999)
        self.assertEqual(len(found.days), 11)
        self.assertEqual(found.days[-1].interval, found.against[0].range)

    def test_conversions_before_the_exposure_and_after_the_end_do_not_count(self) -> None:
        test = self.running()
        person = next(self.people(test, "A"))
        receive(walk(self.site, person, STARTED + timedelta(minutes=5), "/thank-you"))
        self.come(test, "A", 1, 0)
        life.end(test, STARTED + timedelta(days=1))
        receive(walk(self.site, person, STARTED + timedelta(days=2), "/thank-you"))
        test.refresh_from_db()
        self.assertEqual(self.result(test).arms[0].counts, Counts(0, 1))

    def test_what_a_robot_does_under_a_visitors_id_does_not_count(self) -> None:
        test = self.running()
        person = next(self.people(test, "A"))
        self.come(test, "A", 1, 0)
        body = beacon(person, event("/thank-you"))
        receive([hit(self.site, STARTED + timedelta(hours=9), body, ROBOT)])
        self.assertEqual(Conversion.objects.count(), 1)
        self.assertEqual(self.result(test).arms[0].counts, Counts(0, 1))

    def test_a_broken_split_comes_before_everything(self) -> None:
        test = self.running()
        self.come(test, "A", 200, 2)
        self.come(test, "B", 110, 60)
        self.assertEqual(self.result(test).verdict.kind, "broken_split")

    def test_a_draft_and_a_lens_that_nobody_fits(self) -> None:
        test = services.save_test(self.site, self.content())
        self.assertEqual(self.result(test).verdict.kind, "no_data")
        running = life.start(test, STARTED)
        self.come(running, "A", 10, 1)
        found = self.result(running, device="phone")
        self.assertEqual([a.counts.trials for a in found.arms], [0, 0])

    def test_three_variants_share_the_error(self) -> None:
        test = self.running(addresses=["/a", "/b", "/c"], shares=[34, 33, 33])
        for letter in "ABC":
            self.come(test, letter, 100, 20)
        found = self.result(test)
        wide = confidence_sequence(
            Moments.of_counts(Counts(20, 100)),
            Moments.of_counts(Counts(20, 100)),
            found.needed,
            1 - 0.1 * 0.025,
        )
        # Of what was planned so little has come in that the look's bound lies further out.
        bound = bounds([50 / (found.needed * (0.34 * 0.33) / 0.67)], 0.9 * 0.025)[0]
        reach = bound * math.sqrt(max(2 * 0.2 * 0.8 / 99, 0.2 * 0.8 * 200 / 199 * 2 / 100))
        for one in found.against:
            self.assertAlmostEqual(one.range.high, min(reach, wide.high), places=9)
            self.assertAlmostEqual(one.range.low, max(-reach, wide.low), places=9)
        self.assertAlmostEqual(sum(a.chance for a in found.arms), 1, places=8)


class LedBack(SplitCase):
    """A variant whose page leads back to the control."""

    def note(self, test: SplitTest, visitor: int, at: datetime) -> None:
        body = beacon(visitor, event("/a", kind="note", back=test.key))
        receive([hit(self.site, at, body)])

    def test_it_is_counted_where_somebody_was_sent_on(self) -> None:
        test = self.running()
        sent, stays = next(self.people(test, "B")), next(self.people(test, "A"))
        noon = datetime.now(UTC) - timedelta(hours=2)
        self.note(test, sent, noon)
        self.note(test, stays, noon)  # Nobody sends these on: whoever says so makes it up.
        self.note(test, sent, STARTED - timedelta(days=2))
        a, b = test.variants.all()
        self.assertEqual(
            (a.led_back, b.led_back, b.led_back_at),
            (0, 1, noon.replace(microsecond=noon.microsecond // 1000 * 1000)),
        )
        member = Member(self.site)
        [told] = member.ask("GET", "/today")["led_back"]
        self.assertEqual((told["control"], told["path"], told["times"]), ("/a", "/b", 1))
        self.assertEqual(member.ask("GET", f"/tests/{test.pk}")["test"]["variants"][1]["led_back"], 1)
        self.assertEqual(Exposure.objects.count(), 0)

    def test_a_test_does_not_start_on_a_page_that_redirects_to_its_control(self) -> None:
        draft = services.save_test(self.site, self.content())
        for leads_to, starts in (("https://shop.example/a?from=b", False), ("https://shop.example/b/", True)):
            found = Fetched(leads_to, 200, "", [], ["https://shop.example/b"], False)
            with patch.object(services, "fetch_from", return_value=found):
                if starts:
                    life.start(draft)
                else:
                    with self.assertRaisesMessage(Problem, "/b leads back to /a"):
                        life.start(draft)
