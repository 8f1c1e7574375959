"""How much a workspace may hold is said, and nothing of what it holds is lost at the limit."""

from __future__ import annotations

from typing import Any
from unittest.mock import patch

from django.test import TestCase

from clabo.judge.splits import life
from clabo.judge.splits import services as splits
from clabo.judge.splits.tests.test_split_tests import SplitCase
from clabo.platform.accounts import services as accounts
from clabo.platform.accounts.models import Membership, Role
from clabo.setup.conversions import services as conversions
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.sites import services as sites
from clabo.setup.sites.models import Site
from clabo.testing.asking import Member
from clabo.testing.traffic import make_site


class Limits(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.owner = Member(self.site, Role.OWNER)

    def refused(
        self, method: str, path: str, body: dict[str, Any], status: int, field: str, most: int
    ) -> None:
        said = self.owner.ask(method, path, body, status=status)
        self.assertEqual(said["field"], field)
        self.assertIn(str(most), said["detail"])

    def test_sites_and_what_one_lists(self) -> None:
        with patch.object(sites, "MOST_SITES", 1), self.assertRaises(sites.Problem) as caught:
            sites.make_site(self.site.workspace, "Two", ["two.example"], "EUR", "UTC")
        self.assertEqual((caught.exception.status, Site.objects.count()), (409, 1))
        hosts = [{"host": f"h{n}.example", "stands_for": ""} for n in range(sites.MOST_HOSTS + 1)]
        self.refused("PATCH", "", {"hosts": hosts}, 422, "hosts", 50)
        for field in ("meaningful_parameters", "own_networks", "frame_origins"):
            many = [
                f"10.0.{n}.0/24" if field == "own_networks" else f"https://a{n}.example" for n in range(101)
            ]
            with self.assertRaises(sites.Problem) as caught:
                sites.change_site(self.site, **{field: many})  # type: ignore[arg-type]
            self.assertEqual(caught.exception.field, field)
        self.assertEqual(self.site.hosts.count(), 1)

    def test_members_and_conversions(self) -> None:
        with patch.object(accounts, "MOST_MEMBERS", 1), self.assertRaises(accounts.Problem) as caught:
            accounts.invite(self.site.workspace, "more@shop.example", "", "viewer", None)
        self.assertEqual((caught.exception.field, Membership.objects.count()), ("email", 1))
        rule = {"page": {"match": "equals", "value": "/thank-you"}}
        made = {"name": "order", "category": "purchase", "rule": rule, "counting": "every"}
        with patch.object(conversions, "MOST_RULES", 1):
            self.owner.ask("POST", "/conversions", made)
            self.owner.ask("POST", "/conversions", {**made, "name": "another"}, status=409)
        self.assertEqual(ConversionRule.objects.count(), 1)


class OfTests(SplitCase):
    def test_tests_and_those_that_run(self) -> None:
        draft = splits.save_test(self.site, self.content())
        with patch.object(splits, "MOST_TESTS", 1), self.assertRaises(splits.Problem) as caught:
            splits.save_test(self.site, self.content(name="Two"))
        self.assertEqual((caught.exception.field, caught.exception.status), ("name", 409))
        # One that is there can be changed all the same.
        with patch.object(splits, "MOST_TESTS", 1):
            splits.save_test(self.site, self.content(name="Changed"), draft)
        with patch.object(life, "MOST_RUNNING", 0), self.assertRaises(life.Problem):
            life.start(draft)
        self.assertEqual(life.start(draft).state, "running")
