"""Money of an arm: the value of the conversions that count in the test, the cost of the exposing visits' clicks."""

from __future__ import annotations

from datetime import timedelta
from decimal import Decimal
from typing import Any

from django.test import TestCase

from clabo.collect.pipeline.tests.test_runner import TEST_KEY, running_test
from clabo.core.splits.assignment import assign
from clabo.judge.splits.analysis.results import result
from clabo.setup.conversions.lens import read_lens
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, receive
from clabo.use.spend.joining import rejoin
from clabo.use.spend.models import SpendImport, SpendRow

AD = "?utm_source=meadow&utm_medium=cpc"


class MoneyOfAnArm(TestCase):
    def setUp(self) -> None:
        self.site = make_site(time_zone="UTC")
        rule = {"event": {"name": "order"}}
        make_rule(self.site, "/", name="mark", rule=rule, value_property="value", counting="every")
        self.test = running_test(self.site)
        self.end = START + timedelta(days=2)

    def letter(self, visitor: int) -> str:
        return "AB"[assign(f"{visitor:032x}", TEST_KEY, [50, 50]) or 0]

    def visit(
        self, visitor: int, minutes: float, ad: bool = True, exposed: bool = True, **order: Any
    ) -> None:
        at = START + timedelta(minutes=minutes)
        claims = {TEST_KEY: self.letter(visitor)} if exposed else {}
        events = [event(f"/a{AD if ad else ''}", variants=claims)]
        if order:
            events.append(event("/a", kind="mark", name="order", properties=order))
        receive([hit(self.site, at, beacon(visitor, *events))])

    def test_from_the_moment_of_the_exposure(self) -> None:
        # The test begins ten minutes after START. Whole days hold seven paid entries and 700 of cost.
        self.visit(1, 0, value=1000.0)
        self.visit(2, 1, value=2000.0)
        exposed = [3, 4, 5, 6]
        for place, visitor in enumerate(exposed):
            self.visit(visitor, 20 + place, value=10.0 * visitor, currency="USD" if visitor == 5 else "")
        # Comes again, for nothing and then by an ad: worth something, and no cost of the exposure's.
        self.visit(3, 300, ad=False, value=7.0)
        self.visit(4, 400, exposed=False)
        # After the test's end.
        self.test.state, self.test.ended_at = "ended", START + timedelta(minutes=500)
        self.test.save()
        self.visit(6, 600, ad=False, value=5000.0)
        batch = SpendImport.objects.create(
            site=self.site, file_name="f", digest="0", stored_as="0", state="done"
        )
        day = START.date()
        SpendRow.objects.create(
            site=self.site,
            batch=batch,
            day=day,
            source="meadow",
            impressions=7001,
            clicks=71,
            cost=Decimal(700),
            fingerprint="0",
        )
        rejoin(self.site.pk, {day})
        arms = {a.variant.letter: a for a in result(read_lens(self.site), self.test, self.end).arms}
        worth = {3: 30 + 7, 4: 40, 5: 0, 6: 60}
        for letter, arm in arms.items():
            mine = [v for v in exposed if self.letter(v) == letter]
            self.assertEqual(arm.counts.trials, len(mine))
            self.assertEqual(arm.revenue, sum(worth[v] for v in mine))
            self.assertEqual(arm.spend, 100 * len(mine))
        self.assertEqual(sum(a.counts.trials for a in arms.values()), 4)
        # Under the lens of another source there is nothing of it.
        for arm in result(read_lens(self.site, origin="source:post"), self.test, self.end).arms:
            self.assertEqual((arm.counts.trials, arm.spend, arm.revenue), (0, 0, 0))
