"""Tests of what stands on a page: drafted, served to the tag, entered, and what the page had no element for."""

from __future__ import annotations

import json
from datetime import UTC, datetime, timedelta
from typing import Any

from clabo.collect.events.models import Page
from clabo.collect.ingest.directory import tag_site
from clabo.core.splits.changes import read_changes, selectors
from clabo.judge.splits import life, services
from clabo.judge.splits.editor.preview_links import look_address
from clabo.judge.splits.models import Exposure, Hindrance, SplitTest
from clabo.judge.splits.tests.test_split_tests import STARTED, SplitCase
from clabo.platform.problems import Problem
from clabo.setup.monitoring.tags import watch_site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, receive, walk

HEADLINE = {"words": {"selector": "h1", "text": "Hives, delivered"}}
BUTTON = {"style": {"selector": "a.cta", "property": "background-color", "value": "#2f7d4f"}}
BANNER = {"block": {"selector": "main", "place": "before", "template": "banner", "title": "Ends on Sunday"}}
LINK = {"link": {"selector": "a.cta", "to": "/order"}}


class ContentCase(SplitCase):
    def drafted(self, **changes: Any) -> services.SplitContent:
        return self.content(
            **{
                "what": "content",
                "addresses": ["/a"],
                "changes": [[], [HEADLINE, BUTTON, BANNER, LINK]],
                **changes,
            }
        )

    def started(self, **changes: Any) -> SplitTest:
        return life.start(services.save_test(self.site, self.drafted(**changes)), STARTED)

    def note(self, test: SplitTest, visitor: int, **said: Any) -> None:
        body = beacon(visitor, event("/a", kind="note", **said))
        receive([hit(self.site, STARTED + timedelta(hours=2), body)])


class Drafts(ContentCase):
    def test_errors_name_the_change(self) -> None:
        for changes, field in (
            ({"changes": [[HEADLINE], [BUTTON]]}, "changes.0"),
            ({"changes": [[], [HEADLINE], [HEADLINE]], "shares": [34, 33, 33]}, "changes.2"),
            ({"changes": [[], [{"words": {"selector": "h1", "text": ""}}]]}, "changes.1[0].words.text"),
            ({"changes": [[], [{"link": {"selector": "a", "to": "javascript:x"}}]]}, "changes.1[0].link.to"),
            ({"changes": [[HEADLINE]]}, "shares"),
            ({"addresses": ["/a", "/b"]}, "addresses.0"),
            ({"what": "both"}, "what"),
        ):
            with self.assertRaises(Problem, msg=changes) as refused:
                services.save_test(self.site, self.drafted(**changes))
            self.assertEqual(refused.exception.field, field)
        self.assertFalse(SplitTest.objects.exists())

    def test_it_is_said_in_words_and_comes_back_as_written(self) -> None:
        test = services.save_test(self.site, self.drafted())
        said = Member(self.site).ask("GET", f"/tests/{test.pk}")["test"]
        self.assertEqual((said["what"], [v["path"] for v in said["variants"]]), ("content", ["/a", "/a"]))
        self.assertEqual(said["variants"][1]["changes"], [HEADLINE, BUTTON, BANNER, LINK])
        self.assertEqual(said["variants"][1]["says"][0], "h1 says “Hives, delivered”")
        again = services.save_test(self.site, self.drafted(changes=[[], [HEADLINE]]), test)
        self.assertEqual([v.changes for v in again.variants.all()], [[], [HEADLINE]])
        # And into a test of addresses, which changes nothing.
        plain = services.save_test(self.site, self.content(), again)
        self.assertEqual([(v.path, v.changes) for v in plain.variants.all()], [("/a", []), ("/b", [])])


class Looking(ContentCase):
    def test_a_link_shows_what_a_variant_has_in_any_state(self) -> None:
        test = services.save_test(self.site, self.drafted())
        links = Member(self.site).ask("GET", f"/tests/{test.pk}/looks")
        self.assertEqual([one["letter"] for one in links], ["A", "B"])
        address, _, token = links[1]["address"].partition("?clabo=look-")
        self.assertEqual(address, "https://shop.example/a")
        answer = self.client.get(f"/look/{token}.json")
        self.assertEqual(answer.json()["changes"], [HEADLINE, BUTTON, BANNER, LINK])
        self.assertEqual(answer["access-control-allow-origin"], "*")
        life.start(test)
        life.end(test)
        self.assertEqual(self.client.get(f"/look/{token}.json").json()["letter"], "B")

    def test_none_but_ours_and_not_for_ever(self) -> None:
        test = services.save_test(self.site, self.drafted())
        _, b = test.variants.all()
        old = look_address(b, datetime.now(UTC) - timedelta(hours=3)).partition("look-")[2]
        self.assertEqual(self.client.get(f"/look/{old}.json").status_code, 410)
        token = look_address(b).partition("look-")[2]
        pk, until, mark = token.split("-")
        for forged in (
            f"{int(pk) + 1}-{until}-{mark}",
            f"{pk}-{int(until) + 9}-{mark}",
            f"{pk}-{until}-{'0' * 32}",
            "x",
            "1-1",
            "9" * 400,
        ):
            self.assertEqual(self.client.get(f"/look/{forged}.json").status_code, 404, forged)
        services.save_test(self.site, self.drafted(), test)
        self.assertEqual(self.client.get(f"/look/{token}.json").status_code, 410)


class Running(ContentCase):
    def test_the_tag_is_told_what_to_change_and_what_to_keep_out_of_sight(self) -> None:
        draft = services.save_test(self.site, self.drafted())
        self.assertNotIn("changes", tag_site(self.site).settings.decode())
        life.start(draft)
        served = tag_site(self.site)
        [told] = json.loads(served.settings)["tests"]
        self.assertTrue(served.content)
        self.assertEqual(told["where"], [{"match": "equals", "value": "shop.example/a"}])
        self.assertEqual(told["changes"], [[], [HEADLINE, BUTTON, BANNER, LINK]])
        # A new block is not there yet, and a link looks as before.
        self.assertEqual(told["hold"], [[], ["h1", "a.cta"]])
        life.end(draft)
        self.assertFalse(tag_site(self.site).content)

    def test_it_is_on_every_page_that_is_meant(self) -> None:
        meant = [{"match": "begins", "value": "/kit"}, {"match": "contains", "value": "sale"}]
        test = self.started(pages=meant)
        [told] = json.loads(tag_site(self.site).settings)["tests"]
        self.assertEqual(
            told["where"],
            [
                {"match": "equals", "value": "shop.example/a"},
                {"match": "begins", "value": "shop.example/kit"},
                {"match": "contains", "value": "sale"},
            ],
        )
        self.assertEqual(told["on"], r"^shop\.example\/a$|^shop\.example\/kit|sale")
        said = Member(self.site).ask("GET", f"/tests/{test.pk}")["test"]
        self.assertEqual(said["pages"][0], {"match": "begins", "value": "shop.example/kit"})
        # A page of them is in no other test, be it the other's own or one that both mean.
        receive(walk(self.site, 2, STARTED, "/kits/one", "/big-sale"))
        for other in (
            self.drafted(addresses=["/kits/one"]),
            self.drafted(addresses=["/b"], pages=[{"match": "contains", "value": "big"}]),
        ):
            with self.assertRaises(Problem) as refused:
                life.start(services.save_test(self.site, other))
            self.assertEqual(refused.exception.field, "beside")
        life.start(services.save_test(self.site, self.drafted(addresses=["/b"])))

    def test_pages_that_cannot_be_meant(self) -> None:
        for pages, field in (
            ([{"match": "begins", "value": "elsewhere.example/kits"}], "pages[0].value"),
            ([{"match": "begins", "value": "kits"}], "pages[0].value"),
            ([{"match": "begins", "value": " "}], "pages[0].value"),
            ([{"match": "like", "value": "/a"}], "pages[0].match"),
        ):
            with self.assertRaises(Problem) as refused:
                services.save_test(self.site, self.drafted(pages=pages))
            self.assertEqual(refused.exception.field, field)
        with self.assertRaises(Problem) as refused:
            services.save_test(self.site, self.content(pages=[{"match": "begins", "value": "/a"}]))
        self.assertEqual(refused.exception.field, "pages")

    def test_a_page_is_in_one_test_at_a_time(self) -> None:
        self.started()
        other = services.save_test(self.site, self.content())
        with self.assertRaises(Problem) as refused:
            life.start(other)
        self.assertIn("Shorter story", refused.exception.detail)

    def test_visitors_enter_when_the_tag_has_changed_it_for_them(self) -> None:
        test = self.started()
        people = {letter: next(self.people(test, letter)) for letter in "AB"}
        # Seen alone is not yet entered: the change may have come too late.
        receive([h for v in people.values() for h in walk(self.site, v, STARTED + timedelta(hours=1), "/a")])
        self.assertEqual(Exposure.objects.count(), 0)
        for letter, visitor in people.items():
            self.note(test, visitor, variants={test.key: letter})
        forged = people["A"]
        self.note(test, forged, variants={test.key: "B"})
        self.assertEqual(sorted(Exposure.objects.values_list("letter", flat=True)), ["A", "B"])
        found = self.result(test)
        self.assertEqual([a.counts.trials for a in found.arms], [1, 1])

    def test_what_the_page_has_no_element_for(self) -> None:
        test = self.started(changes=[[], [HEADLINE], [BUTTON, LINK]], shares=[34, 33, 33])
        visitor = next(self.people(test, "B"))
        self.assertEqual(selectors(read_changes([BUTTON, LINK])), ["a.cta"])
        self.note(test, visitor, hindered={test.key: ("missing", 1)})
        self.note(test, visitor, hindered={test.key: ("missing", 1)})
        # There is no such selector, or test.
        self.note(test, visitor, hindered={test.key: ("missing", 7), "f" * 8: ("late", 0)})
        [told] = Hindrance.objects.select_related("variant")
        self.assertEqual((told.variant.letter, told.selector, told.times), ("C", "a.cta", 2))
        member = Member(self.site)
        shown = member.ask("GET", f"/tests/{test.pk}")["test"]["variants"][2]
        self.assertEqual([(u["selector"], u["times"]) for u in shown["hindrances"]], [("a.cta", 2)])
        # It is long ago: nothing to mend today. Told anew, it is.
        self.assertEqual(member.ask("GET", "/today")["hindered"], [])
        now = datetime.now(UTC) - timedelta(hours=1)
        body = beacon(visitor, event("/a", kind="note", hindered={test.key: ("missing", 1)}))
        receive([hit(self.site, now, body)])
        [mend] = member.ask("GET", "/today")["hindered"]
        self.assertEqual((mend["path"], mend["letter"], mend["times"]), ("/a", "C", 3))
        # What a page writes over is told apart; whoever came too late is counted with the test, and nothing to mend.
        for why in ("overwritten", "late"):
            told = beacon(visitor, event("/a", kind="note", hindered={test.key: (why, 0)}))
            receive([hit(self.site, now, told)])
        self.assertEqual(
            {h["why"] for h in member.ask("GET", "/today")["hindered"]}, {"missing", "overwritten"}
        )
        variants = member.ask("GET", f"/tests/{test.pk}")["test"]["variants"]
        said = {(v["letter"], h["why"], h["selector"]) for v in variants for h in v["hindrances"]}
        self.assertEqual(said, {("C", "missing", "a.cta"), ("B", "overwritten", "h1"), ("A", "late", "")})

    def test_the_page_goes_on_being_watched_once_its_test_has_ended(self) -> None:
        """It is no challenger that nobody is shown any more."""
        test = self.started()
        end = STARTED + timedelta(days=9)
        receive(
            [
                each
                for hour in range(24 * 9)
                for each in walk(self.site, hour + 1, STARTED + timedelta(hours=hour), "/a")
            ]
        )
        life.end(test, end)
        self.assertEqual(services.resting_pages(self.site), {})
        self.assertEqual({p.path for p in watch_site(self.site, end + timedelta(days=3))}, {"/a"})
        self.assertTrue(Page.objects.get(path="/a").stopped_at)
