"""Plans written, started, changed, ended: both sides say the same, whatever happens on the way."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

from clabo.platform.accounts.models import Role
from clabo.testing.asking import Member
from clabo.testing.jobs import run_jobs
from clabo.use.delivery.models import AdChannel
from clabo.use.delivery.tests.case import hashed
from clabo.use.plans.models import AdPlan
from clabo.use.plans.tasks import plans
from clabo.use.plans.tests.case import PlansCase
from practice_network import lists

SEEK = {"town": "Carrow", "km": 20.0, "interests": ["gardening"]}


class Running(PlansCase):
    def there(self, plan: AdPlan) -> dict[str, Any]:  # type: ignore[override]
        return dict(self.network.ask("GET", f"/v1/plans/{plan.key}").json)

    def test_from_a_draft_to_its_end(self) -> None:
        self.crowd(1, 41, "/kit")
        self.crowd(1, 6, "/thank-you", days=1)
        buyers = self.audience(
            include={
                "what": {"page": {"match": "equals", "value": "/thank-you"}},
                "from": 0,
                "to": 21,
                "times": 1,
            }
        )
        plan = self.make(self.lookers(exclude=False), left_out=[buyers.pk])
        self.assertEqual(self.network.ask("GET", f"/v1/plans/{plan.key}").status, 404)
        self.start(plan)
        said = self.there(plan)
        known = [
            n
            for n in range(6, 41)
            for _, h in hashed(str(n))
            if lists.is_known(lists.Member("email", bytes.fromhex(h)))
        ]
        line = plan.lines.get()
        self.assertEqual(said["people"], {line.key: len(known)})
        self.assertEqual(said["plan"]["lines"][0]["days"], [0, 21])
        self.assertEqual(said["plan"]["first"], datetime.now(UTC).date().isoformat())
        self.assertEqual({c["landing"] for c in said["plan"]["creatives"]}, {"https://shop.example/kit"})
        self.assertEqual(said["plan"]["campaign"], f"bees-early-{plan.pk}")
        # Moved while it runs.
        self.member.ask("PUT", f"/plans/{plan.pk}", self.changed(plan, daily_budget="35", cap=5))
        said = self.there(plan)["plan"]
        self.assertEqual((said["daily_budget"], said["cap"]), (35, 5))
        # What was shown stays what it was.
        for change, field in (
            ({"creatives": [{"headline": "Other", "landing": "/kit"}]}, "creatives"),
            ({"lines": [{"audience": buyers.pk}], "left_out": []}, "lines"),
            ({"first": "2026-01-01"}, "first"),
        ):
            body = self.changed(plan, **change)
            answer = self.member.ask("PUT", f"/plans/{plan.pk}", body, status=409)
            self.assertEqual(answer["field"], field)
        self.member.ask("DELETE", f"/plans/{plan.pk}", status=409)
        self.member.ask("POST", f"/plans/{plan.pk}/end")
        self.assertTrue(self.there(plan)["ended"])
        self.member.ask("POST", f"/plans/{plan.pk}/end", status=409)
        self.member.ask("PUT", f"/plans/{plan.pk}", self.changed(plan), status=409)
        copied = self.member.ask("POST", f"/plans/{plan.pk}/copy")
        self.assertEqual(
            (copied["name"], copied["state"], copied["first"]), ("Bees, early, 2", "draft", None)
        )
        self.assertEqual(
            [c["headline"] for c in copied["creatives"]], [c.headline for c in plan.creatives.all()]
        )
        self.member.ask("DELETE", f"/plans/{copied['id']}", status=204)

    def changed(self, plan: AdPlan, **changes: Any) -> dict[str, Any]:
        body = self.plan_in(
            *[line.audience for line in plan.lines.all() if line.audience],
            left_out=[a.pk for a in plan.left_out.all()],
            first=plan.first.isoformat() if plan.first else None,
        )
        return {**body, **changes}

    def test_while_the_network_is_away_nothing_is_lost(self) -> None:
        self.crowd(1, 21, "/kit")
        plan = self.make(self.lookers())
        self.network.switch(away=True)
        started = self.member.ask("POST", f"/plans/{plan.pk}/start")
        self.assertEqual((started["state"], started["waits"]), ("running", True))
        self.assertIn("went wrong", started["failure"])
        plan.refresh_from_db()
        self.member.ask("PUT", f"/plans/{plan.pk}", self.changed(plan, daily_budget="44"))
        self.network.switch()
        self.assertEqual(self.network.ask("GET", f"/v1/plans/{plan.key}").status, 404)
        self.again()
        self.assertEqual(self.there(plan)["plan"]["daily_budget"], 44)
        self.network.switch(away=True)
        self.assertTrue(self.member.ask("POST", f"/plans/{plan.pk}/end")["waits"])
        self.network.switch()
        self.again()
        self.assertTrue(self.there(plan)["ended"])
        self.assertFalse(self.member.ask("GET", f"/plans/{plan.pk}")["waits"])
        # One that it never heard of is no trouble either.
        other = self.make(self.lookers(), name="Never")
        self.network.switch(away=True)
        self.member.ask("POST", f"/plans/{other.pk}/start")
        self.member.ask("POST", f"/plans/{other.pk}/end")
        self.network.switch()
        self.again()
        self.assertFalse(self.member.ask("GET", f"/plans/{other.pk}")["waits"])

    def again(self) -> None:
        """The minute's look, once the channel is tried again."""
        AdChannel.objects.update(rests_until=None)
        plans.now()
        run_jobs()

    def test_what_cannot_be_says_where(self) -> None:
        lookers = self.lookers()
        creative = {"headline": "Bees", "landing": "/kit"}
        for change, field in (
            ({"name": "  "}, "name"),
            ({"name": "n" * 81}, "name"),
            ({"channel": 0}, "channel"),
            ({"aim": 0}, "aim"),
            ({"daily_budget": "0"}, "daily_budget"),
            ({"daily_budget": "1.005"}, "daily_budget"),
            ({"highest_click": "-1"}, "highest_click"),
            ({"cap": 101}, "cap"),
            ({"first": "2026-12-02", "last": "2026-12-01"}, "last"),
            ({"placements": ["<b>"]}, "placements"),
            ({"lines": [{"audience": lookers.pk}, {"audience": lookers.pk}]}, "lines"),
            ({"lines": [{}]}, "lines"),
            ({"lines": [{"audience": 0}]}, "lines"),
            ({"lines": [{"audience": lookers.pk, "share": "0"}]}, "lines"),
            ({"left_out": [lookers.pk]}, "left_out"),
            ({"creatives": [{**creative, "headline": ""}]}, "creatives.0.headline"),
            (
                {"creatives": [creative, {**creative, "landing": "javascript:alert(1)"}]},
                "creatives.1.landing",
            ),
            ({"creatives": [{**creative, "picture": "data:x"}]}, "creatives.0.picture"),
            ({"creatives": [creative, creative]}, "creatives.1"),
        ):
            with self.subTest(change=change):
                answer = self.member.ask("POST", "/plans", self.plan_in(lookers, **change), status=422)
                self.assertEqual(answer["field"], field)
        self.make(lookers)
        again = self.member.ask("POST", "/plans", self.plan_in(lookers), status=422)
        self.assertEqual(again["field"], "name")
        for lacks in ("lines", "creatives"):
            draft = self.make(lookers, **{"name": f"Without {lacks}", lacks: []})
            answer = self.member.ask("POST", f"/plans/{draft.pk}/start", status=422)
            self.assertEqual(answer["field"], lacks)
        # A channel that people have not agreed to is given no audience, and the plan stays a draft.
        self.member.ask("PUT", f"/channels/{self.channel.pk}", self.said(agreed=False))
        draft = AdPlan.objects.get(name="Bees, early")
        answer = self.member.ask("POST", f"/plans/{draft.pk}/start", status=422)
        self.assertEqual(answer["field"], "channel")
        draft.refresh_from_db()
        self.assertEqual(draft.state, "draft")

    def test_a_channel_of_files_runs_none(self) -> None:
        files = self.member.ask("POST", "/channels", {"name": "F", "kind": "files", "source": "f"})
        answer = self.member.ask(
            "POST", "/plans", self.plan_in(self.lookers(), channel=files["id"]), status=422
        )
        self.assertEqual(answer["field"], "channel")
        self.member.ask("GET", f"/channels/{files['id']}/people", status=404)

    def test_new_people(self) -> None:
        choices = self.member.ask("GET", f"/channels/{self.channel.pk}/people")
        self.assertIn("Carrow", [t["name"] for t in choices["towns"]])
        found = self.member.ask("POST", f"/channels/{self.channel.pk}/people", SEEK)
        plan = self.start(self.make(lines=[{"seek": SEEK}]))
        self.assertEqual(self.there(plan)["people"], {"new-people": found["people"]})
        self.member.ask("POST", f"/channels/{self.channel.pk}/people", {"town": "Nowhere"}, status=409)
        self.network.switch(away=True)
        self.member.ask("POST", f"/channels/{self.channel.pk}/people", SEEK, status=409)

    def test_viewers_write_nothing(self) -> None:
        plan = self.make(self.lookers())
        viewer = Member(self.site, Role.VIEWER)
        for method, path in (("POST", "/start"), ("POST", "/end"), ("DELETE", ""), ("POST", "/copy")):
            viewer.ask(method, f"/plans/{plan.pk}{path}", status=403)
