"""Whatever one workspace has stored, other workspaces' hits are taken in, counted and looked after."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch

from django.db import transaction
from django.test import TestCase

from clabo.collect.events.models import Event
from clabo.collect.ingest.directory import Directory
from clabo.collect.pictures.tasks import links, pictures
from clabo.collect.presence.tasks import merge_left, pack_days
from clabo.core.rules import RuleError
from clabo.core.splits.changes import read_changes
from clabo.judge.paths.models import Path
from clabo.judge.paths.services import keep_path
from clabo.judge.saved.models import SavedView
from clabo.judge.saved.services import save_view
from clabo.judge.saved.tasks import mailings
from clabo.judge.splits import life, services
from clabo.judge.splits.models import SplitTest, Variant
from clabo.judge.splits.tasks import ending
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.conversions.tasks import recounts_left
from clabo.setup.monitoring.tasks import exclusions_left, tags
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, make_rule, make_site, receive, walk
from clabo.testing.traffic import hit as hit_of
from clabo.use.audiences.models import Audience
from clabo.use.audiences.services import AudienceContent, make_audience
from clabo.use.delivery.tasks import channels, spends
from clabo.use.plans.tasks import plans

NOW = datetime.now(UTC)
NESTED = "<div>" * 900 + "x" + "</div>" * 900
BAD: Any = [{"nonsense": {"selector": 7}}]
# What stands stored of one site's own making, spoilt as no form would let it be.
SPOIL: dict[str, Callable[[Site], object]] = {
    "nested markup": lambda s: Variant.objects.filter(test__site=s, letter="B").update(
        changes=[{"html": {"selector": "h1", "place": "after", "html": NESTED}}]
    ),
    "changes": lambda s: Variant.objects.filter(test__site=s, letter="B").update(changes=BAD),
    "who": lambda s: SplitTest.objects.filter(site=s).update(who={"nonsense": [1]}),
    "moment": lambda s: SplitTest.objects.filter(site=s).update(moment={"nonsense": 1}),
    "pages": lambda s: SplitTest.objects.filter(site=s).update(pages=[{"match": "nonsense"}]),
    "measures": lambda s: SplitTest.objects.filter(site=s).update(measures=BAD, ends_on_harm=True),
    "rule": lambda s: ConversionRule.objects.filter(site=s).update(rule={"nonsense": {}}, counted_version=0),
    "audience": lambda s: Audience.objects.filter(site=s).update(definition={"include": 7}),
    "path": lambda s: Path.objects.filter(site=s).update(steps=[7]),
    "view": lambda s: SavedView.objects.filter(site=s).update(words=[7]),
    "time zone": lambda s: Site.objects.filter(pk=s.pk).update(time_zone="Hive/Comb"),
    "networks": lambda s: Site.objects.filter(pk=s.pk).update(own_networks=["hive"]),
    "settings": lambda s: Site.objects.filter(pk=s.pk).update(waiting={"time_zone": 7}),
}
BY_THE_CLOCK = (
    *(recounts_left, channels, spends, exclusions_left, tags, links, pictures, plans),
    *(merge_left, pack_days, mailings, ending),
)


class Isolation(TestCase):
    def _site(self, name: str) -> Site:
        site = make_site(name=name)
        rule = make_rule(site, "/thank-you", counted_version=1)
        receive(walk(site, 1, NOW - timedelta(days=3), "/a"))
        content = services.SplitContent(
            name="Words",
            rule=rule,
            addresses=["/a"],
            shares=[50, 50],
            traffic=100,
            baseline=0.1,
            smallest_lift=0.5,
            what="content",
            changes=[[], [{"words": {"selector": "h1", "text": "Other"}}]],
        )
        life.start(services.save_test(site, content), NOW - timedelta(days=2))
        kit = {"page": {"match": "equals", "value": "/kit"}}
        make_audience(site, AudienceContent("Kit", {"include": {"what": kit}}), None)
        keep_path(site, "Way", [kit, {"conversion": rule.pk}], None, None)
        save_view(site, "Mine", "pages", {"period": "7d"}, None)
        return site

    def test_what_one_has_stored_hurts_its_own_pages_alone(self) -> None:
        for number, (what, spoil) in enumerate(SPOIL.items()):
            # What is made goes again: each site more makes all that goes by the clock slower.
            with self.subTest(what=what), patch("clabo.platform.jobs.each.log"), transaction.atomic():
                self._one(number, what, spoil)
                transaction.set_rollback(True)

    def _one(self, number: int, what: str, spoil: Callable[[Site], object]) -> None:
        good, bad = self._site(f"Good {number}"), self._site(f"Bad {number}")
        known = Directory()
        known.refresh()
        spoil(bad)
        # One that was running, and one that has just been started.
        for directory in (known, Directory()):
            with patch("clabo.collect.ingest.directory._unread"):
                directory.refresh()
            entry = directory.get(good.key)
            assert entry
            self.assertTrue(entry.content, "the other site's test is served")
            self.assertIsNotNone(directory.get(bad.key) or what == "networks")
        with self.assertNoLogs("clabo.collect.pipeline.runner", "CRITICAL"):
            receive(walk(good, 2, NOW - timedelta(hours=2), "/a", "/thank-you"), process=False)
            receive(walk(bad, 2, NOW - timedelta(hours=2), "/a", "/thank-you"))
        self.assertEqual(Conversion.objects.filter(site=good).count(), 1)
        # Its hits are kept, whatever else becomes of them.
        self.assertEqual(Event.objects.filter(site=bad).count(), 3)
        for work in BY_THE_CLOCK:
            work.now()
        member = Member(good)
        for path in ("/today", "/tests", "/pages", "/audiences", "/conversions", "/rail", "/views"):
            member.ask("GET", path)

    def test_a_site_is_read_again_once_it_can_be(self) -> None:
        site = self._site("Bad")
        directory = Directory()
        SPOIL["changes"](site)
        with patch("clabo.collect.ingest.directory._unread") as said:
            directory.refresh()
            directory.refresh()
        self.assertGreaterEqual(said.call_count, 2)
        entry = directory.get(site.key)
        assert entry
        self.assertFalse(entry.content)
        Variant.objects.filter(test__site=site, letter="B").update(
            changes=[{"words": {"selector": "h1", "text": "Again"}}]
        )
        directory.refresh()
        entry = directory.get(site.key)
        assert entry
        self.assertTrue(entry.content)
        body = beacon(5, event("/a"))
        receive([hit_of(site, NOW, body)])

    def test_markup_that_is_deep_or_grows_is_refused_with_its_reason(self) -> None:
        for html, code in (
            (NESTED, "change_too_deep"),
            ("<b>" * 4000, "too_long"),
            ("<b>" * 31 + "x", "change_too_deep"),
        ):
            with self.assertRaises(RuleError) as caught:
                read_changes([{"html": {"selector": "h1", "place": "after", "html": html}}])
            self.assertEqual((caught.exception.field, caught.exception.told.code), ("[0].html.html", code))
        [fits] = read_changes([{"html": {"selector": "h1", "place": "after", "html": "<b>" * 30 + "x"}}])
        self.assertEqual(read_changes([fits.json()]), [fits])
