"""Conversions fed back: what a channel knows of them is what stands here, held against a plain loop."""

from __future__ import annotations

import random
import sqlite3
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from functools import partial
from typing import Any
from unittest.mock import patch
from urllib.parse import parse_qsl

from clabo.collect.events.models import Event
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.conversions.recount import recount_rule
from clabo.setup.conversions.services import RuleContent, change_rule
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import beacon, event, hit, receive
from clabo.use.delivery import queries, tasks
from clabo.use.delivery.adapters.calling import TooMuch
from clabo.use.delivery.adapters.over_http import OverHttp
from clabo.use.delivery.models import AdChannel, OwedReport, Report
from clabo.use.delivery.syncing import reporting
from clabo.use.delivery.tests.case import DeliveryCase


class Reporting(DeliveryCase):
    def click(self, landing: str = "https://shop.example/kit", days_ago: float = 0) -> tuple[str, str]:
        """Somebody clicks at the network: the click, and the address with it."""
        made = self.network.ask("POST", "/practice/clicks", {"landing": landing, "ad": "bees"}).json
        if days_ago:
            with self.network.app.state.network.store.changing() as db:
                db.execute(
                    "UPDATE clicks SET at = ? WHERE id = ?",
                    ((datetime.now(UTC) - timedelta(days=days_ago)).timestamp(), made["id"]),
                )
        return made["id"], made["link"]

    def come(self, number: int, link: str, at: datetime) -> None:
        receive([hit(self.site, at, beacon(number, event(link)))])

    def order(self, number: int, at: datetime) -> None:
        receive([hit(self.site, at, beacon(number, event("/thank-you")))])

    def known_there(self) -> dict[str, tuple[str, Any, bool]]:
        db = sqlite3.connect(self.network.store)
        rows = db.execute(
            "SELECT event, click, value, withdrawn FROM conversions WHERE name = ?", (self.rule.name,)
        ).fetchall()
        db.close()
        mine = set(Report.objects.filter(channel=self.channel).values_list("event", flat=True))
        return {
            e: (c, None if v is None else Decimal(v) / 1_000_000, bool(w)) for e, c, v, w in rows if e in mine
        }

    def test_one_click_one_order_told_once(self) -> None:
        click, link = self.click()
        now = datetime.now(UTC)
        self.come(1, link, now)
        self.come(2, "https://shop.example/kit?utm_source=other&utm_medium=cpc", now)
        self.order(1, now + timedelta(minutes=1))
        self.order(2, now + timedelta(minutes=1))
        run_jobs()
        [conversion] = Conversion.objects.filter(visitor__key=f"{1:032x}")
        self.assertEqual(self.known_there()[conversion.event_id.hex], (click, Decimal(59), False))
        of = queries.feedback(self.channel)
        self.assertEqual((of.sent, of.taken, of.refused, of.waiting), (1, 1, 0, 0))
        [line] = self.member.ask("GET", f"/channels/{self.channel.pk}/reports")
        self.assertEqual((line["state"], line["click"], line["value"]), ("taken", click, "59.0000"))
        self.assertFalse(OwedReport.objects.exists())

    def test_random_histories_against_a_plain_loop(self) -> None:
        chance = random.Random(9)
        now = datetime.now(UTC) - timedelta(hours=2)
        ConversionRule.objects.update(value=None, value_property="total", rule={"event": {"name": "order"}})
        for turn in range(6):
            self.network.switch(refuse=0.3)
            for _ in range(8):
                number = chance.randrange(1, 12)
                at = now + timedelta(minutes=chance.randrange(0, 100))
                way = chance.random()
                if way < 0.4:
                    self.come(number, self.click(days_ago=1)[1], at)
                elif way < 0.6:
                    self.come(number, "https://shop.example/kit?utm_source=other&utm_medium=cpc", at)
                else:
                    # The same order may be sent by others, and at any time.
                    order = chance.choice(["", f"order{chance.randrange(6)}"])
                    said = {"order": order, "total": chance.randrange(100)}
                    mark = event("/done", kind="mark", name="order", properties=said)
                    receive([hit(self.site, at, beacon(number, mark))])
            tasks.report.now(site_id=self.site.pk)
            self.network.switch()
            tasks.report.now(site_id=self.site.pk)
            self.assertEqual(self.standing_there(), self.expected(), turn)

    def standing_there(self) -> dict[str, tuple[str, Any]]:
        return {e: (c, v) for e, (c, v, gone) in self.known_there().items() if not gone}

    def expected(self) -> dict[str, tuple[str, Any]]:
        found = {}
        for c in Conversion.objects.filter(site=self.site):
            for credit in Credit.objects.filter(conversion=c, model="last_paid"):
                for e in Event.objects.filter(visit=credit.visit_id).order_by("time", "id"):
                    click = dict(parse_qsl(e.query)).get("practiceclid")
                    if credit.visit_id and click:
                        found[c.order or c.event_id.hex] = (click, c.value)
                        break
        return found

    def test_a_later_click_takes_it_over_and_a_changed_rule_takes_it_back(self) -> None:
        now = datetime.now(UTC) - timedelta(hours=1)
        first, link = self.click(days_ago=1)
        self.come(1, link, now - timedelta(hours=3))
        self.order(1, now)
        run_jobs()
        [event] = self.known_there()
        second, later = self.click(days_ago=1)
        # It arrives late: the click before the order was another one.
        self.come(1, later, now - timedelta(minutes=50))
        run_jobs()
        self.assertEqual(self.known_there(), {event: (second, Decimal(59), False)})
        self.assertNotEqual(first, second)
        page = {"page": {"match": "equals", "value": "/thank-you"}}
        content = RuleContent("order", "purchase", page, "every", Decimal(70))
        change_rule(self.rule, content, self.owner)
        recount_rule(self.site.pk, self.rule.pk)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.known_there(), {event: (second, Decimal(70), False)})
        other = {"page": {"match": "equals", "value": "/other"}}
        change_rule(self.rule, replace(content, rule=other), self.owner)
        recount_rule(self.site.pk, self.rule.pk)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(self.known_there(), {event: (second, Decimal(70), True)})
        revisions = Report.objects.get().revision
        reporting.owe_all(self.channel, 30)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(Report.objects.get().revision, revisions)

    def test_refused_ones_say_why_and_can_be_sent_again(self) -> None:
        now = datetime.now(UTC)
        self.come(1, "https://shop.example/kit?practiceclid=forged", now)
        self.order(1, now + timedelta(minutes=1))
        run_jobs()
        [channel] = self.member.ask("GET", "/channels")
        said = channel["feedback"]
        self.assertEqual((said["refused"], said["reasons"][0]["says"]), (1, "it does not know the click"))
        self.assertEqual(self.member.ask("POST", f"/channels/{self.channel.pk}/reports/again"), {"count": 1})
        self.assertEqual(queries.feedback(self.channel).waiting, 1)
        run_jobs()
        self.assertEqual(queries.feedback(self.channel).refused, 1)

    def test_a_clock_that_is_ahead_loses_nothing(self) -> None:
        """Ours is six minutes ahead of the channel's: it is told once its clock has come there."""
        now = datetime.now(UTC)
        self.come(1, self.click()[1], now)
        self.order(1, now + timedelta(minutes=6))
        run_jobs()
        self.assertEqual((queries.feedback(self.channel).waiting, self.known_there()), (1, {}))
        with patch("practice_network.clicks.time.time", return_value=now.timestamp() + 120):
            tasks.channels.now()
            run_jobs()
        self.assertEqual((queries.feedback(self.channel).taken, len(self.known_there())), (1, 1))
        # After a day it is no clock that differs.
        self.come(2, self.click()[1], now)
        self.order(2, now + timedelta(minutes=7))
        with patch.object(reporting, "CLOCKS_DIFFER", timedelta()):
            run_jobs()
        self.assertEqual(queries.feedback(self.channel).refused, 1)

    def test_what_is_too_much_at_once_goes_in_parts(self) -> None:
        now = datetime.now(UTC)
        for number in range(7):
            self.come(number + 1, self.click()[1], now)
            self.order(number + 1, now + timedelta(minutes=1))
        told = OverHttp.report

        def narrow(self: OverHttp, reports: list[Report]) -> object:
            if len(reports) > 3:
                raise TooMuch("It does not do this (413).")
            return told(self, reports)

        with patch.object(OverHttp, "report", narrow):
            run_jobs()
        of = queries.feedback(self.channel)
        self.assertEqual((of.sent, of.taken, of.waiting), (7, 7, 0))
        self.assertEqual(len(self.known_there()), 7)

    def test_what_nobody_counts_is_told_to_nobody(self) -> None:
        now = datetime.now(UTC)
        for number, agent in ((1, "Mozilla/5.0 (compatible; examplebot/2.1)"),):
            _, link = self.click()
            receive([hit(self.site, now, beacon(number, event(link)), agent)])
            receive([hit(self.site, now, beacon(number, event("/thank-you")), agent)])
        # What happened before the channel was to hear of any.
        AdChannel.objects.update(since=now - timedelta(minutes=5))
        self.come(2, self.click(days_ago=1)[1], now - timedelta(hours=1))
        self.order(2, now - timedelta(minutes=50))
        run_jobs()
        self.assertEqual(Report.objects.count(), 0)

    def test_away_they_wait_and_today_says_so(self) -> None:
        self.network.switch(away=True)
        now = datetime.now(UTC)
        self.come(1, self.click()[1], now)
        self.order(1, now + timedelta(seconds=1))
        with patch.object(reporting, "send", partial(reporting.send, patience=0)):
            run_jobs()
        self.assertEqual(queries.feedback(self.channel).waiting, 1)
        self.assertEqual(queries.troubled(self.site, now), [])
        later = now + timedelta(minutes=10)
        [trouble] = queries.troubled(self.site, later)
        self.assertEqual(trouble.channel, self.channel)
        self.network.switch()
        AdChannel.objects.update(rests_until=None)
        tasks.channels.now()
        run_jobs()
        self.assertEqual(queries.troubled(self.site, later), [])

    def test_nothing_is_owed_where_no_channel_asks_for_it(self) -> None:
        self.channel.rules.clear()
        self.come(1, self.click()[1], datetime.now(UTC))
        self.order(1, datetime.now(UTC))
        self.assertTrue(Conversion.objects.exists())
        self.assertFalse(OwedReport.objects.exists())
