"""What the pipeline makes of hits, held against the definitions applied to the whole at once."""

from __future__ import annotations

import time
from collections import Counter
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from django.db import connection
from django.db.models import Sum
from django.test import TestCase
from hypothesis import Phase, given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect.events.models import Event, Page, TrafficClass, TrafficDay, Visit, Visitor
from clabo.collect.ingest.beacon import Envelope
from clabo.collect.ingest.models import InboxBatch
from clabo.collect.pipeline import runner
from clabo.collect.pipeline.queries import backlog
from clabo.core.trust.identities import digest
from clabo.core.trust.proof import sign_person
from clabo.judge.splits.analysis.results import result
from clabo.judge.splits.models import Exposure, SplitTest, Variant
from clabo.setup.conversions.lens import read_lens
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.sites.models import ProofKey, Site
from clabo.testing.traffic import (
    BROWSER,
    HOST,
    START,
    beacon,
    event,
    hit,
    make_rule,
    make_site,
    receive,
    walk,
)

PATHS = ["/", "/a", "/thank-you", "/a?utm_source=s1&utm_medium=cpc", "/?utm_source=s2&utm_medium=email"]
CRAWLER = "Mozilla/5.0 (compatible; examplebot/2.1)"
TEST_KEY = "a1b2c3d4"


@dataclass(frozen=True)
class Act:
    """One hit of a made-up history; sales name a step by its number, known or not."""

    visitor: int
    second: int
    path: str
    kind: str
    device: str
    agent: str
    late_ms: int
    order: str
    step: int
    claims: str
    # Who the page says it is; with a "!" the site's server has signed it.
    said: str = ""


acts = st.builds(
    Act,
    visitor=st.integers(1, 3),
    second=st.integers(0, 6000),
    path=st.sampled_from(PATHS),
    kind=st.sampled_from(["view", "view", "view", "view", "mark", "mark", "step", "sale", "sale"]),
    device=st.sampled_from(["desktop", "phone"]),
    agent=st.sampled_from([BROWSER] * 9 + [CRAWLER]),
    late_ms=st.sampled_from([0, 0, 700_000, 5_000_000]),
    order=st.sampled_from(["", "O-1", "O-2"]),
    step=st.integers(0, 13),
    claims=st.sampled_from(["", "", "A", "B"]),
    said=st.sampled_from(["", "", "", "", "ada", "bob", "ada!"]),
)
histories = st.lists(acts, min_size=1, max_size=14, unique_by=lambda a: (a.visitor, a.second))


SECRET = "the site's own"


def envelopes_of(site: Site, history: list[Act]) -> list[Envelope]:
    """The history as the collector would take it in: each hit happened at its second and came `late_ms` after."""
    ProofKey.objects.get_or_create(site=site, defaults={"secret": SECRET})
    made = []
    for place, act in enumerate(history):
        what: dict[str, Any] = {"id": f"{place:032x}", "kind": act.kind, "age": act.late_ms, "name": "x"}
        if act.said:
            name = act.said.removesuffix("!")
            what["person"] = {"email": digest("email", name)}
            if name != act.said:
                what["person"]["proof"] = sign_person(SECRET, f"{act.visitor:032x}", name)
        what["url"] = f"https://{HOST}{act.path}"
        properties: dict[str, Any] = {"value": 10}
        if act.order and act.kind in ("mark", "sale"):
            properties["order"] = act.order
        if act.kind == "sale":
            properties["step"] = f"{act.step:032x}"
        if act.kind == "step":
            what["campaign"] = act.device == "phone"
        if act.kind == "view" and act.claims:
            what["variants"] = {TEST_KEY: act.claims}
        body = beacon(act.visitor, {**what, "properties": properties}, device=act.device)
        at = int((START + timedelta(seconds=act.second)).timestamp() * 1000)
        made.append(Envelope(site.pk, at + act.late_ms, act.agent, body))
    return made


def stated_in(history: list[Act]) -> list[tuple[int, str]]:
    """Who is said of which browser: of a name that is proven somewhere only what is proven counts."""
    # A sale is a server's to report, and a crawler is nobody.
    told = [a for a in history if a.said and a.kind != "sale" and a.agent == BROWSER]
    pairs = {(a.visitor, a.said.removesuffix("!")) for a in told}
    proven = {(a.visitor, a.said[:-1]) for a in told if a.said.endswith("!")}
    return [pair for pair in sorted(pairs) if pair in proven or pair[1] not in {name for _, name in proven}]


def running_test(site: Site) -> SplitTest:
    rule = ConversionRule.objects.get(site=site, name="mark")
    test = SplitTest.objects.create(
        site=site,
        name="T",
        key=TEST_KEY,
        rule=rule,
        state="running",
        baseline=0.1,
        smallest_lift=0.2,
        planned_visitors=100,
        started_at=START + timedelta(minutes=10),
    )
    for letter in "AB":
        Variant.objects.create(test=test, letter=letter, host=HOST, path="/a", share=50)
    return test


def picture(site: Site) -> dict[str, Any]:
    """Everything that reports read, without ids."""
    visits = [
        (
            *(v.visitor.key.hex, v.number, v.started_at, v.ended_at, v.views, v.interacted, v.conversions),
            *(str(v.entry_page), str(v.exit_page), v.origin.fingerprint, v.day, v.device, v.traffic_class),
        )
        for v in Visit.objects.filter(site=site)
        .select_related("visitor", "entry_page", "exit_page", "origin")
        .order_by("visitor__key", "started_at")
    ]
    traffic = Counter(
        {
            (t.day, t.page.path, t.origin.fingerprint, t.device): (
                t.entries,
                t.views,
                t.begun_views,
                t.bounces,
                t.exits,
            )
            for t in TrafficDay.objects.filter(site=site).select_related("page", "origin")
            if t.entries or t.views or t.begun_views or t.bounces or t.exits
        }
    )
    conversions = sorted(
        (str(e), name, key.hex, str(at), value)
        for e, name, key, at, value in Conversion.objects.filter(site=site).values_list(
            "event_id", "rule__name", "visitor__key", "visit__started_at", "value"
        )
    )
    credits = sorted(
        (str(e), name, model, str(at), share, value, str(path), device)
        for e, name, model, at, share, value, path, device in Credit.objects.filter(site=site).values_list(
            "conversion__event_id",
            "rule__name",
            "model",
            "visit__started_at",
            "share",
            "value",
            "page__path",
            "device",
        )
    )
    started = dict(Visit.objects.filter(site=site).values_list("id", "started_at"))
    exposures = sorted(
        (e.visitor.key.hex, e.letter, e.first_at, started[e.visit_id])
        for e in Exposure.objects.filter(test__site=site).select_related("visitor")
    )
    results = [
        [(a.variant.letter, a.counts, a.value, a.revenue) for a in result(lens, test, END).arms]
        for test in SplitTest.objects.filter(site=site)
        for lens in (read_lens(site), read_lens(site, origin="source:s1"), read_lens(site, device="phone"))
    ]
    return {
        "visits": visits,
        "traffic": dict(traffic),
        "conversions": conversions,
        "credits": credits,
        "exposures": exposures,
        "results": results,
    }


END = START + timedelta(days=1)


class OrderOfArrival(HypothesisTestCase):
    # Without shrinking, which takes minutes: a failure names its history, and that is short.
    @settings(max_examples=45, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(histories, st.randoms(use_true_random=False), st.integers(1, 5))
    def test_any_order_and_any_batches_give_the_same_numbers(
        self, history: list[Act], chance: Any, pieces: int
    ) -> None:
        pictures = []
        for shuffled in (False, True):
            site = make_site()
            make_rule(site, "/thank-you", counting="visit")
            for kind, what in (("mark", {"event": {"name": "x"}}), ("sale", {"sale": {}})):
                make_rule(site, "/", name=kind, counting="visitor", rule=what, value_property="value")
            running_test(site)
            envelopes = envelopes_of(site, history)
            if shuffled:
                chance.shuffle(envelopes)
                for piece in range(pieces):
                    receive(envelopes[piece::pieces])
            else:
                receive(sorted(envelopes, key=lambda e: e.received_ms))
            pictures.append(picture(site))
        self.assertEqual(pictures[0], pictures[1])
        credited = Credit.objects.values_list("conversion_id", "model").annotate(Sum("share"))
        self.assertEqual({share for _, _, share in credited} - {Decimal(1)}, set())


class Latecomers(HypothesisTestCase):
    """Over days: a late event has only what it may change stitched and credited anew."""

    @settings(max_examples=8, deadline=None, phases=(Phase.explicit, Phase.reuse, Phase.generate))
    @given(
        st.lists(
            st.tuples(st.integers(0, 300_000), st.integers(0, 3), st.sampled_from(PATHS)),
            min_size=15,
            max_size=40,
            unique_by=lambda t: t[0],
        ),
        st.randoms(use_true_random=False),
        st.integers(1, 12),
    )
    def test_they_leave_what_the_right_order_would_have_left(
        self, seconds: list[tuple[int, int, str]], chance: Any, size: int
    ) -> None:
        history = [
            Act(1, second, path, "mark" if kind == 3 else "view", "desktop", BROWSER, 0, "", 0, "")
            for second, kind, path in seconds
        ]
        pictures = []
        for shuffled in (False, True):
            site = make_site()
            make_rule(site, "/thank-you", counting="visit")
            make_rule(site, "/", name="mark", rule={"event": {"name": "x"}}, value_property="value")
            running_test(site)
            envelopes = sorted(envelopes_of(site, history), key=lambda e: e.received_ms)
            if shuffled:
                chance.shuffle(envelopes)
            for first in range(0, len(envelopes), size):
                receive(envelopes[first : first + size])
            numbers = list(
                Visit.objects.filter(site=site).order_by("started_at").values_list("number", flat=True)
            )
            self.assertEqual(numbers, list(range(1, len(numbers) + 1)))
            self.assertEqual(Visitor.objects.get(site=site).visits, len(numbers))
            pictures.append(picture(site))
        self.assertEqual(pictures[0], pictures[1])

    def test_of_a_long_past_only_the_last_hours_conversions_are_made_anew(self) -> None:
        site = make_site()
        rule = make_rule(site, "/a", counting="every")
        for day in range(6):
            for hour in range(0, 20, 2):
                receive(walk(site, 1, START + timedelta(days=day, hours=hour), "/a"))
        before = dict(Conversion.objects.filter(rule=rule).values_list("pk", "time"))
        late = START + timedelta(days=5, hours=9)
        receive([hit(site, late, beacon(1, event("/thank-you", age=3600 * 1000)))])
        after = set(Conversion.objects.filter(rule=rule).values_list("pk", flat=True))
        self.assertEqual(len(after), len(before))
        anew = {time for pk, time in before.items() if pk not in after}
        self.assertEqual(min(anew), START + timedelta(days=5, hours=8))
        self.assertEqual(len(anew), 6)


class Stored(TestCase):
    def setUp(self) -> None:
        self.site = make_site()

    def test_a_repeated_event_is_stored_once_even_when_its_age_has_grown(self) -> None:
        first = event("/a")
        receive([hit(self.site, START, beacon(1, first))])
        receive(
            [hit(self.site, START + timedelta(hours=5), beacon(1, {**first, "age": 5 * 3_600_000 - 40}))] * 2
        )
        self.assertEqual(Event.objects.count(), 1)
        self.assertEqual(Visit.objects.get().views, 1)

    def test_other_campaign_parameters_begin_a_visit_and_the_same_do_not(self) -> None:
        ad = "/a?utm_source=s1&utm_medium=cpc&utm_content=1"
        receive(walk(self.site, 1, START, ad, "/b", ad, "/a?utm_source=s1&utm_medium=cpc&utm_content=2"))
        self.assertEqual(list(Visit.objects.order_by("number").values_list("views", flat=True)), [3, 1])

    def test_a_gap_of_exactly_thirty_minutes_is_none(self) -> None:
        receive(
            walk(self.site, 1, START, "/a", "/b", step=1800)
            + walk(self.site, 2, START, "/a", "/b", step=1801)
        )
        self.assertEqual([v.visits for v in Visitor.objects.order_by("key")], [1, 2])

    def test_midnight_ends_nothing_and_days_are_the_sites(self) -> None:
        late = START.replace(hour=21, minute=50)  # 23:50 in Vienna
        receive(walk(self.site, 1, late, "/a", "/b", step=1200))
        visit = Visit.objects.get()
        self.assertEqual((visit.views, str(visit.day)), (2, "2026-10-05"))
        views = {t.page.path: str(t.day) for t in TrafficDay.objects.filter(views=1)}
        self.assertEqual(views, {"/a": "2026-10-05", "/b": "2026-10-06"})

    def test_bots_are_kept_but_counted_nowhere(self) -> None:
        crawler = "Mozilla/5.0 (compatible; examplebot/2.1)"
        make_rule(self.site, "/a")
        receive([hit(self.site, START, beacon(1, event("/a")), crawler)])
        self.assertEqual(Visit.objects.get().traffic_class, TrafficClass.BOT)
        self.assertFalse(TrafficDay.objects.exists())
        self.assertFalse(Credit.objects.exists())

    def test_a_visit_with_a_conversion_or_a_mark_is_no_bounce(self) -> None:
        make_rule(self.site, "/a")
        receive(walk(self.site, 1, START, "/a") + walk(self.site, 2, START, "/b"))
        receive([hit(self.site, START, beacon(3, event("/b"), event("/b", kind="mark", name="menu")))])
        receive([hit(self.site, START, beacon(4, event("/b"), event("/b", kind="note", twice=True)))])
        bounces = {t.page.path: t.bounces for t in TrafficDay.objects.all()}
        self.assertEqual(bounces, {"/a": 0, "/b": 2})
        self.assertIsNotNone(Page.objects.get(path="/b").twice_at)

    def test_staging_pages_are_reported_under_the_host_they_stand_for(self) -> None:
        self.site.hosts.create(host="localhost:8011", stands_for="shop.example")
        receive(walk(self.site, 1, START, "http://localhost:8011/a/"))
        self.assertEqual(str(Page.objects.get()), "shop.example/a")

    def test_markup_and_odd_characters_are_kept_as_text(self) -> None:
        title = "<script>alert(1)</script> \u202e=1+1 🐝"
        long = "/" + "é" * 300 + "?" + "utm_source=" + "ü" * 300 + "&utm_medium=" + "ß" * 300
        receive([hit(self.site, START, beacon(1, event(long, title=title), event("/" + "🐝" * 1500)))])
        self.assertEqual(InboxBatch.objects.count(), 0)
        self.assertEqual(Page.objects.get().title, title)


class Crashes(TestCase):
    def test_a_crash_at_any_query_leaves_everything_or_nothing(self) -> None:
        site = make_site()
        make_rule(site, "/thank-you")
        receive(walk(site, 1, START, "/a?utm_source=s1", "/thank-you"))
        more = walk(site, 1, START + timedelta(minutes=5), "/b", "/thank-you") + walk(site, 2, START, "/a")
        receive(more, process=False)
        before, point = picture(site), 0
        while True:
            calls = 0

            def interrupted(execute: Any, *args: Any, at: int = point) -> Any:
                nonlocal calls
                calls += 1
                # The end of a savepoint stands for the commit, which PostgreSQL does wholly or not at all.
                if calls > at and not args[0].startswith(("ROLLBACK", "RELEASE")):
                    raise KeyboardInterrupt
                return execute(*args)

            try:
                # A busy machine makes the site slow, which would let it rest.
                with connection.execute_wrapper(interrupted), patch.object(runner, "_paces", runner.Paces()):
                    runner.run_once()
            except KeyboardInterrupt:
                self.assertEqual(picture(site), before)
                self.assertEqual(InboxBatch.objects.count(), 1)
                point += 3
                continue
            break
        self.assertGreater(point, 20)
        self.assertEqual(InboxBatch.objects.count(), 0)
        self.assertEqual(Conversion.objects.count(), 2)
        self.assertEqual(Event.objects.count(), 5)

    def test_what_cannot_be_stored_is_set_aside_and_the_rest_goes_on(self) -> None:
        site = make_site()
        receive([Envelope(site.pk, 0, BROWSER, b"no longer JSON")], process=False)
        receive(walk(site, 1, START, "/a"), process=False)
        with patch.object(runner.log, "error"):
            runner.drain()
        self.assertEqual(Event.objects.count(), 1)
        self.assertEqual(backlog().set_aside, 1)


class Budget(TestCase):
    def test_a_slow_sites_batches_become_as_small_as_its_time_allows(self) -> None:
        paces = runner.Paces()
        first = runner.FIRST_BYTES
        paces.took(1, first, 4000, 8.0)
        self.assertEqual((paces.most(1), paces.most(2)), (first // 4, first))
        # Nothing waits for ever, however slow one request is.
        paces.took(1, 500, 1, 90.0)
        self.assertEqual(paces.most(1), 500 * 2 // 90)
        self.assertTrue(paces.rests(1))
        self.assertFalse(paces.rests(2))
        for _ in range(40):
            paces.took(1, paces.most(1), 100, 0.1)
        self.assertEqual(paces.most(1), runner.MOST_BYTES)
        # Whoever had nothing left begins anew.
        paces.took(1, 500, 1, 0.01)
        self.assertEqual(paces.most(1), first)

    def test_the_others_are_served_between_a_slow_ones_batches(self) -> None:
        slow, quick = make_site(name="Slow"), make_site(name="Quick")
        for number in range(8):
            receive(walk(slow, number, START, "/a"), process=False)
        receive(walk(quick, 1, START, "/a"), process=False)
        served: list[int] = []
        process = runner._process

        def slowly(reading: Any, envelopes: Any) -> int:
            served.append(reading.site_id)
            if reading.site_id == slow.pk:
                time.sleep(0.02 * len(envelopes))
            return process(reading, envelopes)

        with (
            patch.object(runner, "_process", slowly),
            patch.object(runner, "BUDGET_SECONDS", 0.05),
            patch.object(runner, "FIRST_BYTES", 1),
            patch.object(runner, "_paces", runner.Paces()),
        ):
            runner.drain()
        self.assertEqual(served[:2], [slow.pk, quick.pk])
        self.assertEqual(Event.objects.count(), 9)
