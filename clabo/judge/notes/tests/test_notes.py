"""Notes on days, written and made."""

from __future__ import annotations

from datetime import UTC, datetime

from django.test import TestCase

from clabo.judge.splits.models import SplitTest
from clabo.setup.conversions.models import RuleVersion
from clabo.testing.asking import Member
from clabo.testing.traffic import make_rule, make_site
from clabo.use.spend.models import SpendImport


class Notes(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="America/New_York")
        self.member = Member(self.site)

    def listed(self, first: str = "2026-10-01", last: str = "2026-10-31") -> list[tuple[str, str, str]]:
        said = self.member.ask("GET", f"/notes?first={first}&last={last}")
        return [(n["day"], n["kind"], n["text"]) for n in said]

    def test_written_and_taken_away(self) -> None:
        made = self.member.ask("POST", "/notes", {"day": "2026-10-05", "text": " New  prices "})
        self.assertEqual(self.listed(), [("2026-10-05", "written", "New prices")])
        self.assertEqual(self.listed("2026-10-06"), [])
        for body, field in (
            ({"day": "2026-10-05", "text": " "}, "text"),
            ({"day": "1999-01-01", "text": "x"}, "day"),
        ):
            self.assertEqual(self.member.ask("POST", "/notes", body, 422)["field"], field)
        self.member.ask("GET", "/notes?first=2026-10-02&last=2026-10-01", status=422)
        self.member.ask("DELETE", f"/notes/{made['id']}", status=204)
        self.member.ask("DELETE", f"/notes/{made['id']}", status=404)
        self.assertEqual(self.listed(), [])

    def test_what_has_changed_stands_on_its_day_of_the_site(self) -> None:
        rule = make_rule(self.site, "/thank-you", name="kit_order")
        # Four in the morning in Greenwich is the evening before in New York.
        night = datetime(2026, 10, 5, 3, 30, tzinfo=UTC)
        for version in (1, 2):
            RuleVersion.objects.create(rule=rule, version=version, content={})
        RuleVersion.objects.filter(version=2).update(made_at=night)
        SplitTest.objects.create(
            site=self.site,
            name="Short",
            rule=rule,
            baseline=0.1,
            smallest_lift=0.5,
            planned_visitors=9,
            started_at=night,
            ended_at=datetime(2026, 10, 20, 12, tzinfo=UTC),
        )
        SpendImport.objects.create(
            site=self.site, file_name="may.csv", digest="0", stored_as="0", state="undone"
        )
        done = SpendImport.objects.create(
            site=self.site, file_name="oct.csv", digest="0", stored_as="0", state="done"
        )
        SpendImport.objects.update(made_at=night)
        self.assertEqual(done.state, "done")
        self.assertEqual(
            self.listed(),
            [
                ("2026-10-04", "rule", "What counts as kit order was changed."),
                ("2026-10-04", "spend", "The spend file oct.csv was taken in."),
                ("2026-10-04", "test", "The split test “Short” began."),
                ("2026-10-20", "test", "The split test “Short” ended."),
            ],
        )
