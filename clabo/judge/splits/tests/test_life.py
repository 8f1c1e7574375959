"""What becomes of a test: rests, ends by itself, winners, tests beside each other, and who did what."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from clabo.collect.ingest.directory import tag_site
from clabo.judge.splits import life, services
from clabo.judge.splits.checklist import checklist
from clabo.judge.splits.models import Deed, Exposure, SplitTest
from clabo.judge.splits.services import Label
from clabo.judge.splits.settling import settle
from clabo.judge.splits.tests.test_split_tests import STARTED, SplitCase
from clabo.platform.problems import Problem
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, receive, walk

WORDS = {"words": {"selector": "h1", "text": "Start with one hive"}}
LINK = {"link": {"selector": "a.order", "to": "/order"}}


class LifeCase(SplitCase):
    def of_content(self, *changes: Any, page: str = "/c", **more: Any) -> services.SplitContent:
        return self.content(
            what="content", addresses=[page], changes=[[], [*changes]], name="Content", **more
        )

    def told_to_the_tag(self) -> dict[str, dict[str, Any]]:
        return {t["key"]: t for t in json.loads(tag_site(self.site).settings)["tests"]}

    def shown(self, visitor: int, test: SplitTest, letter: str, at: datetime) -> None:
        path = "/" + letter.lower()
        receive([hit(self.site, at, beacon(visitor, event(path, variants={test.key: letter})))])


class Rests(LifeCase):
    def test_nobody_is_let_in_and_what_was_counted_goes_on(self) -> None:
        test = self.running()
        early, late, later = (next(people) for people in [self.people(test, "B")] for _ in range(3))
        self.shown(early, test, "B", STARTED + timedelta(hours=1))
        life.pause(test, STARTED + timedelta(hours=2))
        self.assertEqual(self.told_to_the_tag(), {})
        # A browser that had the settings from before.
        self.shown(late, test, "B", STARTED + timedelta(hours=3))
        receive(walk(self.site, early, STARTED + timedelta(hours=3), "/thank-you"))
        life.resume(test, STARTED + timedelta(hours=26))
        self.assertIn(test.key, self.told_to_the_tag())
        self.shown(later, test, "B", STARTED + timedelta(hours=27))
        self.assertEqual(Exposure.objects.filter(test=test).count(), 2)
        found = self.result(SplitTest.objects.get(pk=test.pk))
        self.assertEqual([(a.counts.trials, a.counts.conversions) for a in found.arms], [(0, 0), (2, 1)])
        # A day of rest is no day on which somebody could have come.
        open_for = datetime.now(UTC) - STARTED - timedelta(hours=24)
        self.assertAlmostEqual(found.visitors_per_day, 2 / (open_for / timedelta(days=1)), places=3)

    def test_what_each_state_allows(self) -> None:
        test = services.save_test(self.site, self.content())
        allowed = {
            SplitTest.State.DRAFT: {"copy", "archive"},
            SplitTest.State.RUNNING: {"pause", "end", "adopt", "copy"},
            SplitTest.State.PAUSED: {"resume", "end", "adopt", "copy"},
            SplitTest.State.ENDED: {"adopt", "copy", "archive"},
            SplitTest.State.ADOPTED: {"copy", "archive"},
        }
        deeds: dict[str, Any] = {
            "pause": life.pause,
            "resume": life.resume,
            "end": life.end,
            "adopt": lambda t: life.adopt(t, "B"),
            "copy": life.copy,
            "archive": lambda t: life.archive(t, True),
        }
        for state, fine in allowed.items():
            for name, deed in deeds.items():
                SplitTest.objects.filter(pk=test.pk).update(state=state, started_at=STARTED, ended_at=None)
                with self.subTest(state=state, deed=name):
                    if name in fine:
                        deed(SplitTest.objects.get(pk=test.pk))
                        continue
                    with self.assertRaises(Problem) as caught:
                        deed(SplitTest.objects.get(pk=test.pk))
                    self.assertEqual(caught.exception.status, 409)


class ByItself(LifeCase):
    def label(self, test: SplitTest, **asked: Any) -> SplitTest:
        return life.relabel(test, Label(test.name, **asked))

    def test_after_its_day_and_not_before(self) -> None:
        day = datetime.now(UTC).date()
        test = self.label(self.running(), ends_on=day)
        midnight = self.site.midnight(day + timedelta(days=1))
        self.assertEqual(settle(midnight - timedelta(seconds=1)), [])
        self.assertEqual([t.pk for t in settle(midnight)], [test.pk])
        self.assertEqual(test.deeds.last().what, Deed.What.ENDED_ON_DATE)
        self.assertEqual(settle(midnight), [])

    def ends(self, orders: tuple[int, int], **asked: Any) -> str:
        """How a test ends in which so many of 300 on each side order."""
        test = self.label(self.running(), **asked)
        self.assertEqual(settle(datetime.now(UTC)), [])
        for letter, n in zip("AB", orders, strict=True):
            self.come(test, letter, 300, n)
        self.assertEqual([t.pk for t in settle(datetime.now(UTC))], [test.pk])
        deed = test.deeds.last()
        assert deed and deed.by is None
        return deed.what

    def test_once_it_is_decided(self) -> None:
        self.assertEqual(self.ends((30, 100), ends_decided=True), Deed.What.ENDED_DECIDED)

    def test_once_a_challenger_harms(self) -> None:
        self.assertEqual(self.ends((100, 20), ends_on_harm=True), Deed.What.ENDED_ON_HARM)

    def test_a_better_challenger_harms_nobody_and_an_open_test_is_not_decided(self) -> None:
        test = self.label(self.running(), ends_on_harm=True)
        self.come(test, "A", 300, 30)
        self.come(test, "B", 300, 100)
        self.assertEqual(settle(datetime.now(UTC)), [])
        test = self.label(test, ends_decided=True)
        Exposure.objects.filter(test=test).delete()
        self.assertEqual(settle(datetime.now(UTC)), [])


class Winners(LifeCase):
    def test_a_winner_is_shown_to_everybody_until_the_page_has_it(self) -> None:
        test = self.running()
        life.adopt(test, "B", shown=True)
        told = self.told_to_the_tag()[test.key]
        self.assertEqual(told["variants"], [["A", "/a", 0], ["B", "/b", 100]])
        before = Exposure.objects.count()
        self.shown(next(self.people(test, "B")), test, "B", datetime.now(UTC))
        self.assertEqual(Exposure.objects.count(), before)
        with self.assertRaises(Problem):
            life.start(services.save_test(self.site, self.content(addresses=["/c", "/b"])))
        life.hand_over(SplitTest.objects.get(pk=test.pk))
        self.assertEqual(self.told_to_the_tag(), {})

    def test_who_is_held_back_saw_the_control_before(self) -> None:
        test = self.running()
        life.adopt(test, "B", shown=True, held_back=5)
        follow = SplitTest.objects.get(follows=test)
        self.assertEqual(list(self.told_to_the_tag()), [follow.key])
        variants, held = list(follow.variants.all()), 0
        for n in range(2000):
            if follow.assigned(f"{n:032x}", variants) == "A":
                held += 1
                self.assertEqual(test.assigned(f"{n:032x}", list(test.variants.all())), "A")
        self.assertAlmostEqual(held / 2000, 0.05, delta=0.02)
        with self.assertRaises(Problem) as caught:
            life.adopt(follow, "B", held_back=6)
        self.assertEqual(caught.exception.field, "held_back")

    def test_the_control_is_nothing_to_show(self) -> None:
        for more in ({"shown": True}, {"held_back": 5}):
            with self.assertRaises(Problem) as caught:
                life.adopt(self.running(), "A", **more)
            self.assertEqual(caught.exception.field, "letter")
            life.end(SplitTest.objects.latest("pk"))


class Beside(LifeCase):
    def test_apart_means_that_nobody_is_in_both(self) -> None:
        first = self.running(traffic=60)
        second = services.save_test(
            self.site, self.content(addresses=["/a", "/c"], traffic=40, beside="apart")
        )
        life.start(second)
        both = [first, SplitTest.objects.get(pk=second.pk)]
        told = self.told_to_the_tag()[both[1].key]
        self.assertEqual((told["layer"], told["start"], told["traffic"]), (first.key, 60, 40))
        for n in range(2000):
            letters = [t.assigned(f"{n:032x}", list(t.variants.all())) for t in both]
            self.assertEqual(sum(letter is not None for letter in letters), 1)
        third = services.save_test(self.site, self.content(addresses=["/c", "/b"], traffic=1, beside="apart"))
        with self.assertRaises(Problem) as caught:
            life.start(third)
        self.assertEqual(caught.exception.field, "traffic")

    def test_crossed_tests_change_different_elements(self) -> None:
        life.start(services.save_test(self.site, self.of_content(WORDS)))
        same = services.save_test(self.site, self.of_content(WORDS, LINK, beside="crossed"))
        with self.assertRaises(Problem) as caught:
            life.start(same)
        self.assertIn("h1", caught.exception.detail)
        life.start(services.save_test(self.site, self.of_content(LINK, beside="crossed")))
        address = services.save_test(self.site, self.content(addresses=["/c", "/b"], beside="crossed"))
        with self.assertRaises(Problem) as caught:
            life.start(address)
        self.assertEqual(caught.exception.field, "beside")


class WhoIsIn(LifeCase):
    def test_what_the_tag_is_told_and_what_is_read_out(self) -> None:
        who = {"devices": ["phone"], "visits": "new", "came": [{"source": "Meadow"}]}
        test = self.running(who=who)
        self.assertEqual(
            self.told_to_the_tag()[test.key]["who"],
            {"devices": ["phone"], "first": True, "came": [{"utm_source": "meadow"}]},
        )
        self.assertTrue(tag_site(self.site).who)
        said = Member(self.site).ask("GET", f"/tests/{test.pk}")["test"]["who_says"]
        self.assertEqual(said, "on phones, on their first visit, who came from meadow")

    def test_errors_name_the_field(self) -> None:
        with self.assertRaises(Problem) as caught:
            self.running(who={"came": [{"referrer": "https://x.example/"}]})
        self.assertEqual(caught.exception.field, "who.came[0].referrer")


class Telling(LifeCase):
    def test_the_log_says_who_did_what(self) -> None:
        member = Member(self.site)
        made = member.ask(
            "POST",
            "/tests",
            {
                "name": "Shorter",
                "conversion": self.rule.pk,
                "addresses": ["/a", "/b"],
                "shares": [50, 50],
                "baseline": 0.1,
                "smallest_lift": 0.5,
            },
        )
        here = f"/tests/{made['id']}"
        for deed, body in (
            ("/start", None),
            ("/pause", None),
            ("/resume", None),
            ("/adopt", {"letter": "B", "shown": True}),
            ("/hand-over", None),
            ("/archive", {"away": True}),
            ("/archive", {"away": False}),
        ):
            member.ask("POST", here + deed, body)
        member.ask("PUT", here + "/label", {"name": "Shorter story", "notes": "Phones liked it."})
        told = member.ask("GET", here)
        self.assertEqual(
            [d["what"] for d in told["log"]],
            [
                *("made", "started", "paused", "resumed", "ended", "adopted"),
                *("handed_over", "archived", "brought_back", "noted"),
            ],
        )
        self.assertEqual(len({d["by"] for d in told["log"]}), 1)
        self.assertEqual(told["test"]["notes"], "Phones liked it.")
        again = member.ask("POST", here + "/copy")
        self.assertEqual((again["state"], len(again["variants"])), ("draft", 2))

    def test_a_day_that_is_over_is_no_day_to_end_on(self) -> None:
        test = self.running()
        with self.assertRaises(Problem) as caught:
            life.relabel(test, Label("x", ends_on=datetime.now(UTC).date() - timedelta(days=1)))
        self.assertEqual(caught.exception.field, "ends_on")

    def test_what_is_looked_at_before_a_start(self) -> None:
        draft = services.save_test(self.site, self.content(addresses=["/a", "/nowhere"]))
        found = {c.what: c for c in checklist(draft)}
        self.assertEqual((found["tag"].ok, found["tag"].names), (False, ["/nowhere"]))
        self.assertEqual((found["lately"].ok, found["lately"].names), (False, ["/a"]))
        self.assertEqual((found["conversion"].ok, found["traffic"].ok), (False, False))
        now = datetime.now(UTC) - timedelta(hours=1)
        receive([h for n in range(50, 90) for h in walk(self.site, n, now, "/a", "/b", "/thank-you")])
        self.running(traffic=50)
        second = services.save_test(self.site, self.content(baseline=0.5, traffic=60, beside="apart"))
        found = {c.what: c for c in checklist(second)}
        self.assertEqual([found[w].ok for w in ("tag", "lately", "conversion")], [True] * 3)
        self.assertEqual((found["clash"].ok, found["clash"].names), (False, ["Shorter story"]))
        services.save_test(self.site, self.content(baseline=0.5, traffic=50, beside="apart"), second)
        found = {c.what: c for c in checklist(SplitTest.objects.get(pk=second.pk))}
        self.assertTrue(found["clash"].ok)
        self.assertEqual(
            found["traffic"].ok, found["traffic"].days is not None and found["traffic"].days <= 91
        )
