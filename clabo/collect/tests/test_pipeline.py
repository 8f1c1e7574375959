"""What the pipeline makes of hits, held against the definitions applied to the whole at once."""

from __future__ import annotations

from collections import Counter
from datetime import timedelta
from typing import Any
from unittest.mock import patch

from django.db import connection
from django.test import TestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase as HypothesisTestCase

from clabo.collect import pipeline
from clabo.collect.intake import Envelope
from clabo.collect.models import Event, InboxBatch, Page, Standing, TrafficDay, Visit, Visitor
from clabo.conversions.models import Conversion, Credit
from clabo.testing.traffic import BROWSER, START, beacon, event, hit, make_rule, make_site, receive, walk

PATHS = ["/", "/a", "/thank-you", "/a?utm_source=s1&utm_medium=cpc", "/?utm_source=s2&utm_medium=email"]

moments = st.lists(
    st.tuples(
        st.integers(1, 3),  # visitor
        st.integers(0, 3000),  # seconds times two
        st.sampled_from(PATHS),
        st.sampled_from(["view", "view", "view", "mark"]),
    ),
    min_size=1,
    max_size=14,
    unique_by=lambda m: (m[0], m[1]),
)


def picture(site: Any) -> dict[str, Any]:
    """Everything that reports read, without ids."""
    visits = [
        (
            *(v.visitor.key.hex, v.number, v.started_at, v.ended_at, v.views, v.interacted, v.conversions),
            *(str(v.entry_page), str(v.exit_page), v.origin.fingerprint, v.day),
        )
        for v in Visit.objects.filter(site=site)
        .select_related("visitor", "entry_page", "exit_page", "origin")
        .order_by("visitor__key", "started_at")
    ]
    traffic = Counter(
        {
            (t.day, t.page.path, t.origin.fingerprint): (
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
    conversions = sorted(Conversion.objects.filter(site=site).values_list("event_id", "visit__started_at"))
    credits = sorted(
        (c.conversion.event_id, c.model, c.visit.started_at, c.share)
        for c in Credit.objects.filter(site=site).select_related("conversion", "visit")
    )
    return {"visits": visits, "traffic": dict(traffic), "conversions": conversions, "credits": credits}


class OrderOfArrival(HypothesisTestCase):
    @settings(max_examples=25, deadline=None)
    @given(moments, st.randoms(use_true_random=False), st.integers(1, 4))
    def test_any_order_and_any_batches_give_the_same_numbers(
        self, what: list[tuple[int, int, str, str]], chance: Any, pieces: int
    ) -> None:
        pictures = []
        for shuffled in (False, True):
            site = make_site()
            make_rule(site, "/thank-you", counting="visit")
            envelopes = []
            for place, (visitor, seconds, path, kind) in enumerate(sorted(what, key=lambda m: m[1])):
                body = beacon(visitor, event(path, kind=kind, name="x", id=f"{place:032x}"))
                envelopes.append(hit(site, START + timedelta(seconds=seconds * 2), body))
            if shuffled:
                chance.shuffle(envelopes)
            for piece in range(pieces):
                part = envelopes[piece::pieces] if shuffled else envelopes[:1]
                if not shuffled:
                    part, envelopes = (envelopes, []) if piece == 0 else ([], [])
                if part:
                    receive(part)
            pictures.append(picture(site))
        self.assertEqual(pictures[0], pictures[1])


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
        self.assertEqual(Visit.objects.get().standing, Standing.BOT)
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
                with connection.execute_wrapper(interrupted):
                    pipeline.run_once()
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
        with patch.object(pipeline.log, "error"):
            pipeline.drain()
        self.assertEqual(Event.objects.count(), 1)
        self.assertEqual(pipeline.backlog().set_aside, 1)
