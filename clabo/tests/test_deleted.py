"""Whatever kind of thing is deleted is listed for 30 days, comes back whole, and belongs to its site alone."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any
from uuid import uuid4

from django.test import TestCase

from clabo.collect.bridges.models import BridgeLink
from clabo.judge.alerts.models import AlertRecipient
from clabo.judge.columns.models import OwnColumn
from clabo.judge.paths.models import Path
from clabo.judge.saved.models import SavedView
from clabo.judge.splits.models import SplitTest
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites import deleted
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import make_rule, make_site
from clabo.use.audiences.models import Audience
from clabo.use.delivery.models import AdChannel
from clabo.use.links.models import AdLink
from clabo.use.plans.models import AdPlan
from clabo.use.spend.models import Budget

STEPS = [{"page": {"match": "equals", "value": "/a"}}, {"page": {"match": "equals", "value": "/b"}}]
SEEN = {"include": {"what": {"page": {"match": "equals", "value": "/a"}}, "from": 0, "to": 7, "times": 1}}


def _plan(site: Site) -> AdPlan:
    channel = AdChannel.objects.create(site=site, name="Meadow", kind="http", source="meadow")
    rule = make_rule(site, "/aim", name="aim")
    return AdPlan.objects.create(
        site=site, channel=channel, name="Spring", aim=rule, daily_budget=Decimal(5), highest_click=Decimal(1)
    )


def _test(site: Site) -> SplitTest:
    rule = make_rule(site, "/judged", name="judged")
    return SplitTest.objects.create(
        site=site, name="Two pages", rule=rule, baseline=0.1, smallest_lift=0.2, planned_visitors=1000
    )


# Kind: what makes one, and where it is deleted.
KINDS: dict[str, tuple[Callable[[Site], Any], str]] = {
    "conversion": (lambda site: make_rule(site, "/thanks", name="order"), "conversions"),
    "audience": (
        lambda site: Audience.objects.create(site=site, name="Seen", definition=SEEN, version=1),
        "audiences",
    ),
    "alert": (
        lambda site: AlertRecipient.objects.create(
            site=site, by="mail", to="a@b.example", kinds=["spend_over"]
        ),
        "alerts",
    ),
    "budget": (lambda site: Budget.objects.create(site=site, source="meadow", amount=Decimal(9)), "budgets"),
    "path": (lambda site: Path.objects.create(site=site, name="Way", steps=STEPS), "paths"),
    "view": (lambda site: SavedView.objects.create(site=site, name="Mine", place="pages", words={}), "views"),
    "channel": (
        lambda site: AdChannel.objects.create(site=site, name="Lantern", kind="files", source="lantern"),
        "channels",
    ),
    "link": (
        lambda site: AdLink.objects.create(
            site=site,
            destination="https://shop.example/a",
            address="https://shop.example/a?x",
            fingerprint="f",
        ),
        "links",
    ),
    "bridge": (
        lambda site: BridgeLink.objects.create(
            site=site, slug="partner", target="https://p.example/", secret="s"
        ),
        "bridges",
    ),
    "plan": (_plan, "plans"),
    "test": (_test, "tests"),
    "column": (
        lambda site: OwnColumn.objects.create(
            site=site, name="Own", numerator="clicks", denominator="entries"
        ),
        "columns",
    ),
}


class DeletedThings(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.member = Member(self.site)

    def listed(self) -> list[tuple[str, int, str]]:
        return [(d["kind"], d["id"], d["name"]) for d in self.member.ask("GET", "/deleted")]

    def test_every_kind_is_tried_here(self) -> None:
        self.assertEqual(set(KINDS), set(deleted.rows_of.all()))

    def test_deleted_listed_restored(self) -> None:
        other = Member(make_site(name="Other"))
        for kind, (make, place) in KINDS.items():
            with self.subTest(kind):
                row = make(self.site)
                self.member.ask("DELETE", f"/{place}/{row.pk}", status=204)
                self.assertIn((kind, row.pk, str(row)), self.listed())
                self.assertEqual(other.ask("GET", "/deleted"), [])
                other.ask("POST", f"/deleted/{kind}/{row.pk}/restore", status=404)
                self.member.ask("POST", f"/deleted/{kind}/{row.pk}/restore", status=204)
                self.assertNotIn(kind, [k for k, _, _ in self.listed()])
                found = type(row).objects.get(pk=row.pk)
                self.assertIsNone(found.deleted_at)
                self.member.ask("POST", f"/deleted/{kind}/{row.pk}/restore", status=404)

    def test_a_name_that_is_taken_by_now(self) -> None:
        for kind in ("conversion", "audience", "path", "view", "channel", "column", "plan", "bridge", "link"):
            with self.subTest(kind):
                make, place = KINDS[kind]
                site = make_site(name=kind)
                member = Member(site)
                row = make(site)
                member.ask("DELETE", f"/{place}/{row.pk}", status=204)
                twin = type(row)._base_manager.get(pk=row.pk) if kind == "plan" else make(site)
                if kind == "plan":
                    # With the channel and the aim that it has.
                    twin.pk, twin.key, twin.deleted_at = None, uuid4(), None
                    twin.save(force_insert=True)
                answer = member.ask("POST", f"/deleted/{kind}/{row.pk}/restore", status=409)
                self.assertIn("has this name", answer["detail"])
                self.assertIsNone(type(twin).objects.get(pk=twin.pk).deleted_at)

    def test_nobody_restores_who_may_only_look(self) -> None:
        row = KINDS["path"][0](self.site)
        self.member.ask("DELETE", f"/paths/{row.pk}", status=204)
        viewer = Member(self.site, Role.VIEWER)
        viewer.ask("POST", f"/deleted/path/{row.pk}/restore", status=403)
        self.member.ask("POST", f"/deleted/nothing/{row.pk}/restore", status=404)

    def test_after_thirty_days(self) -> None:
        old = datetime.now(UTC) - timedelta(days=31)
        for kind, (make, _) in KINDS.items():
            row = make(make_site(name=kind))
            type(row)._base_manager.filter(pk=row.pk).update(deleted_at=old)
            self.assertEqual(deleted.deleted_from(row.site), [], kind)
        self.assertEqual(set(deleted.purgers.all()), {"link", "plan", "test", "column", "budget", "alert"})
        deleted.purge()
        for model in (AdLink, AdPlan, SplitTest, OwnColumn, Budget, AlertRecipient):
            self.assertFalse(model.with_deleted.exists(), model)
        # What was counted by them still stands.
        self.assertTrue(ConversionRule.objects.filter(deleted_at=old).exists())
