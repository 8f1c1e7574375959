"""Has the tag stopped on a page?"""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.collect.ingest.models import Attendance, InboxBatch
from clabo.collect.install import coverage
from clabo.setup.monitoring.tags import watch_site
from clabo.testing.asking import Member
from clabo.testing.traffic import make_site, receive, walk


class Tags(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.now = datetime.now(UTC)

    def states(self) -> dict[str, str]:
        return {c.path: c.state for c in coverage.coverage(self.site).pages}

    def was_there(self, start: datetime, end: datetime) -> None:
        Attendance.objects.create(from_at=start, until_at=end)

    def test_a_tag_that_has_stopped_is_told_from_one_that_is_quiet(self) -> None:
        hits = []
        for hour in range(24 * 14):
            at = self.now - timedelta(hours=3, days=14) + timedelta(hours=hour)
            hits += walk(self.site, 1000 + hour, at, "/busy", "/busy", "/busy", step=5)
            if hour % 24 == 0:
                hits += walk(self.site, 5000 + hour, at, "/quiet", "/quiet", "/quiet", step=5)
        receive(hits)
        later = self.now + timedelta(hours=14)
        stopped = watch_site(self.site, later)
        self.assertEqual([p.path for p in stopped], ["/busy"])
        busy = Page.objects.get(path="/busy")
        self.assertAlmostEqual(busy.per_day or 0, 72, delta=3)
        self.assertEqual(self.states()["/busy"], "stopped")
        member = Member(self.site)
        pixel = member.ask("GET", "/pixel")
        self.assertEqual(pixel["stopped"], 1)
        self.assertEqual(datetime.fromisoformat(pixel["silent_since"]), busy.last_at)
        receive(walk(self.site, 9000, self.now + timedelta(hours=4), "/quiet"))
        self.assertIsNone(member.ask("GET", "/pixel")["silent_since"], "another page still sends")
        last = self.now - timedelta(hours=4)
        self.was_there(last - timedelta(days=30), last)
        self.assertEqual(watch_site(self.site, later), [], "Clabo was away")
        self.was_there(self.now, later)
        self.assertEqual(len(watch_site(self.site, later)), 1)
        waiting = InboxBatch.objects.create(site_id=self.site.pk, payload=b"", requests=1, received_at=last)
        self.assertEqual(watch_site(self.site, later), [], "it waits unread")
        waiting.delete()
