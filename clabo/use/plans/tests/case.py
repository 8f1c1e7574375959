"""A site with people on two audiences, and a network that runs its plans."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from typing import Any

import numpy as np

from clabo.core.trust.identities import digest
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import beacon, event, hit, receive
from clabo.use.audiences.models import Audience
from clabo.use.delivery.tests.case import KIT, ORDERED, DeliveryCase
from clabo.use.plans.models import AdPlan
from practice_network import running
from practice_network.running import Clicked

MARK = "practiceclid="


class PlansCase(DeliveryCase):
    def setUp(self) -> None:
        super().setUp()
        with self.network.app.state.network.store.changing() as db:
            for table in ("plans", "days", "clicks", "conversions", "seen_conversions", "reach"):
                db.execute(f"DELETE FROM {table}")

    def crowd(self, first: int, last: int, *paths: str, days: float = 2) -> None:
        """Visitors numbered so, who have stated an address each, see the pages."""
        at = self.now - timedelta(days=days)
        receive(
            hit(
                self.site,
                at + timedelta(minutes=place),
                beacon(n, event(path, person={"email": digest("email", f"{n}@example.com")})),
            )
            for n in range(first, last)
            for place, path in enumerate(paths)
        )

    def lookers(self, exclude: bool = True) -> Audience:
        return self.audience(include=KIT, **({"exclude": ORDERED} if exclude else {}))

    def plan_in(self, *those: Audience, **changes: Any) -> dict[str, Any]:
        return {
            "name": "Bees, early",
            "channel": self.channel.pk,
            "aim": self.rule.pk,
            "lines": [{"audience": a.pk} for a in those],
            "creatives": [
                {"headline": "Bees like an early start", "landing": "/kit"},
                {"headline": "Your hive is still here", "landing": "https://shop.example/kit"},
            ],
            "daily_budget": "20",
            "highest_click": "0.9",
            "cap": 3,
            **changes,
        }

    def make(self, *those: Audience, **changes: Any) -> AdPlan:
        made = self.member.ask("POST", "/plans", self.plan_in(*those, **changes))
        return AdPlan.objects.get(pk=made["id"])

    def start(self, plan: AdPlan) -> AdPlan:
        self.member.ask("POST", f"/plans/{plan.pk}/start")
        # The audiences are put there.
        run_jobs()
        plan.refresh_from_db()
        return plan

    def days_go_by(self, plan: AdPlan, days: int, seed: int = 1) -> list[Clicked]:
        """As if the plan had begun so many days ago; whom it led where."""
        now = datetime.now(UTC)
        first = now - timedelta(days=days)
        AdPlan.objects.filter(pk=plan.pk).update(first=first.date())
        plan.refresh_from_db()
        chance = np.random.default_rng(seed)
        with self.network.app.state.network.store.changing() as db:
            content = db.execute("SELECT content FROM plans WHERE id = ?", (str(plan.key),)).fetchone()[0]
            content = content.replace(f'"first": "{now.date()}"', f'"first": "{first.date()}"')
            db.execute(
                "UPDATE plans SET stepped = ?, content = ? WHERE id = ?",
                (first.timestamp(), content, str(plan.key)),
            )
            led = running.go_on(db, now.timestamp(), chance, days * 24 + 1, str(plan.key))
        # Rather more of them than would.
        return [replace(c, through=c.through or (MARK in c.link and n % 5 == 0)) for n, c in enumerate(led)]

    def visits(self, those: list[Clicked]) -> None:
        """They come to the site, and go through where they do."""
        hits = []
        for number, who in enumerate(those):
            at = datetime.fromtimestamp(who.at, UTC)
            visitor = 500_000 + number
            hits.append(hit(self.site, at, beacon(visitor, event(who.link))))
            if who.through:
                hits.append(hit(self.site, at + timedelta(seconds=30), beacon(visitor, event("/thank-you"))))
        receive(hits)


def day_of(at: float) -> date:
    return datetime.fromtimestamp(at, UTC).date()
