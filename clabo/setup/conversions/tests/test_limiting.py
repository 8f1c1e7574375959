"""Values beyond what a day may bring without a proof: marked, in no sum, and told."""

from __future__ import annotations

import random
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

import msgspec
from django.test import TestCase

from clabo.core.trust.daily_value_limit import DayLimits, Valued, beyond
from clabo.core.trust.proof import sign
from clabo.setup.conversions import services
from clabo.setup.conversions.models import Conversion, Credit
from clabo.setup.conversions.recount import recount_all
from clabo.setup.monitoring.forgery import suspicions
from clabo.setup.sites.services import make_proof_key
from clabo.testing.asking import Member
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, receive

NOON = datetime.now(UTC).replace(hour=12, minute=0, second=0, microsecond=0) - timedelta(days=2)


class Limits(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.rule = make_rule(
            self.site,
            "/",
            rule={"event": {"name": "order"}},
            value_property="value",
            counted_version=1,
            visitor_day_limit=Decimal(100),
            network_day_limit=Decimal(150),
            site_day_limit=Decimal(300),
        )

    def order(self, visitor: int, minute: int, value: float, network: str = "", **properties: Any) -> Any:
        mark = event("/x", kind="mark", name="order", properties={"value": value, **properties})
        one = hit(self.site, NOON + timedelta(minutes=minute), beacon(visitor, event("/x"), mark))
        return msgspec.structs.replace(one, network=network)

    def summed(self) -> list[float]:
        """The values that stand in sums, as the report's credits have them."""
        credits = Credit.objects.filter(site=self.site, model="last", value__gt=0)
        return sorted(float(v) for v in credits.values_list("value", flat=True) if v)

    def test_of_a_visitor_a_network_and_the_site(self) -> None:
        receive([self.order(1, 0, 60, "a"), self.order(1, 1, 60, "a"), self.order(1, 2, 40, "a")])
        self.assertEqual(self.summed(), [40, 60])
        receive([self.order(2, 3, 51, "a"), self.order(3, 4, 50, "a")])
        self.assertEqual(self.summed(), [40, 50, 60])
        # No network is known of these: only the site's limit holds.
        receive([self.order(4, 5, 90), self.order(5, 6, 70), self.order(6, 7, 60)])
        self.assertEqual(self.summed(), [40, 50, 60, 60, 90])
        # Another day begins with nothing.
        receive([self.order(1, 24 * 60, 99, "a")])
        self.assertEqual(self.summed(), [40, 50, 60, 60, 90, 99])

    def test_an_absurd_value_takes_no_room_and_a_proven_one_always_counts(self) -> None:
        key = make_proof_key(self.site)
        proven = {"order": "P", "proof": sign(key.secret, "P", 5000.0)}
        receive(
            [self.order(1, 0, 9e8, "a"), self.order(1, 1, 80, "a"), self.order(1, 2, 5000, "a", **proven)]
        )
        self.assertEqual(self.summed(), [80, 5000])

    def test_the_order_of_arrival_and_a_change_of_the_limits_make_no_difference(self) -> None:
        chance = random.Random(3)
        limits = (Decimal(100), Decimal(150), Decimal(300))
        # A visit has one network.
        who = [chance.randint(1, 4) for _ in range(20)]
        plain = [Valued(visitor, "ab"[visitor % 2], Decimal(chance.randint(20, 80))) for visitor in who]
        orders = [self.order(v.visitor, minute, float(v.value), v.network) for minute, v in enumerate(plain)]
        out = beyond(plain, DayLimits(*limits))
        expected = sorted(float(v.value) for place, v in enumerate(plain) if place not in out)
        self.assertLess(len(expected), 20)
        chance.shuffle(orders)
        for start in range(0, 20, 3):
            receive(orders[start : start + 3])
        self.assertEqual(self.summed(), expected)
        self.change(None, None, None)
        self.assertEqual(len(self.summed()), 20)
        self.assertFalse(Conversion.objects.filter(beyond=True).exists())
        self.change(*limits)
        self.assertEqual(self.summed(), expected)

    def change(self, *limits: Decimal | None) -> None:
        content = services.RuleContent(
            "order", "purchase", {"event": {"name": "order"}}, "every", None, "value", None, False, *limits
        )
        services.change_rule(self.rule, content, None)
        recount_all()

    def test_it_is_told(self) -> None:
        receive([self.order(1, 0, 400), self.order(1, 1, 50)])
        member = Member(self.site)
        told = member.ask("GET", "/conversions")[0]
        self.assertEqual((told["recent"], told["beyond"], Decimal(told["beyond_value"])), (2, 1, 400))
        found = [s for s in suspicions(self.site, datetime.now(UTC)) if s.kind == "beyond"]
        self.assertEqual([(s.count, s.value) for s in found], [(1, Decimal(400))])
        body = {
            "name": "order",
            "category": "purchase",
            "counting": "every",
            "value_property": "value",
            "rule": {"event": {"name": "order"}},
        }
        path = f"/conversions/{self.rule.pk}"
        refused = member.ask("PUT", path, {**body, "visitor_day_limit": "0"}, 422)
        self.assertEqual(refused["field"], "visitor_day_limit")
        self.assertIsNone(member.ask("PUT", path, {**body, "site_day_limit": None})["site_day_limit"])
