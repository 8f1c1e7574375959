"""When Clabo itself was there."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.ingest.attendance import Attending
from clabo.collect.ingest.models import Attendance
from clabo.collect.install import coverage
from clabo.setup.monitoring.tags import watch_site
from clabo.setup.monitoring.uptime import absences
from clabo.testing.traffic import make_site, receive, walk


class Uptime(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.now = datetime.now(UTC)

    def states(self) -> dict[str, str]:
        return {c.path: c.state for c in coverage.coverage(self.site).pages}

    def was_there(self, start: datetime, end: datetime) -> None:
        Attendance.objects.create(from_at=start, until_at=end)

    def test_a_server_notes_that_it_is_there(self) -> None:
        attending = Attending()
        attending.note()
        attending.note()
        [noted] = Attendance.objects.all()
        with patch("clabo.collect.ingest.attendance.NOTED_EVERY", 0):
            attending.note()
        [again] = Attendance.objects.all()
        self.assertEqual(again.from_at, noted.from_at)
        self.assertGreater(again.until_at, noted.until_at)

    def test_absences_are_what_no_server_covers(self) -> None:
        def at(hour: int) -> datetime:
            return self.now + timedelta(hours=hour)

        self.assertEqual(absences(at(-9), at(0)), [], "before the first note nothing is known")
        for start, end in ((-8, -6), (-7, -5), (-4, -3), (-9, -8)):
            self.was_there(at(start), at(end))
        self.assertEqual(absences(at(-9), at(-2)), [(at(-5), at(-4)), (at(-3), at(-2))])
        self.assertEqual(absences(at(-4), at(-3)), [])
        self.assertEqual(absences(at(-2), at(0)), [(at(-2), at(0))])
        receive(walk(self.site, 9, self.now + timedelta(hours=5), "/busy"))
        self.assertEqual(watch_site(self.site, self.now + timedelta(hours=5)), [])
        self.assertEqual(self.states()["/busy"], "seen")
