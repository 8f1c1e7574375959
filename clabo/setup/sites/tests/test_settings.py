"""What a site can be set to, and what the collector then knows of it."""

from __future__ import annotations

import json
import time
from decimal import Decimal
from typing import Any
from unittest.mock import patch

from django.test import TestCase

from clabo.collect.ingest.directory import Directory, tag_site, tag_sites
from clabo.collect.pipeline.rereading import reread
from clabo.platform.problems import Problem
from clabo.setup.sites.services import change_site, make_site, set_hosts
from clabo.testing.asking import Member
from clabo.testing.traffic import make_site as some_site


class Settings(TestCase):
    def test_errors_name_the_field_and_change_nothing(self) -> None:
        site = some_site()
        cases: list[tuple[dict[str, Any], str]] = [
            ({"name": "  "}, "name"),
            ({"currency": "euro"}, "currency"),
            ({"time_zone": "Europe/Hive"}, "time_zone"),
            ({"attribution_window_days": 31}, "attribution_window_days"),
            ({"margin": Decimal("0")}, "margin"),
            ({"margin": Decimal("NaN")}, "margin"),
            ({"consent": "perhaps"}, "consent"),
            ({"own_networks": ["203.0.113.0/24", "hive"]}, "own_networks"),
            ({"own_networks": ["0.0.0.0/0"]}, "own_networks"),
            ({"own_networks": ["::/0"]}, "own_networks"),
            ({"frame_origins": ["https://"]}, "frame_origins"),
        ]
        for change, field in cases:
            with self.assertRaises(Problem, msg=change) as caught:
                change_site(site, **change)
            self.assertEqual(caught.exception.field, field)
        site.refresh_from_db()
        self.assertEqual((site.name, site.currency, site.margin), ("Shop", "EUR", None))
        change_site(
            site,
            own_networks=["203.0.113.7/24", "2001:db8::1", " "],
            frame_origins=["HTTPS://Forms.example/x", "forms.example:444"],
        )
        self.assertEqual(site.own_networks, ["203.0.113.0/24", "2001:db8::1/128"])
        self.assertEqual(site.frame_origins, ["https://forms.example", "https://forms.example:444"])

    def test_hosts(self) -> None:
        site = some_site()
        for hosts in ([], [("not a host", "")], [("a.example", "b.example")], [("a.example", "a.example")]):
            with self.assertRaises(Problem, msg=hosts) as caught:
                set_hosts(site, hosts)
            self.assertEqual(caught.exception.field, "hosts")
        self.assertEqual([h.host for h in site.hosts.all()], ["shop.example"])
        set_hosts(site, [("https://WWW.Shop.example/x", ""), ("localhost:8001", "www.shop.example")])
        known = tag_site(site)
        self.assertEqual(known.hosts, {"www.shop.example", "localhost:8001"})
        self.assertEqual(json.loads(known.settings)["stand"], {"localhost:8001": "www.shop.example"})

    def test_a_change_reaches_the_collector_and_gives_the_tag_a_new_name(self) -> None:
        site = make_site(some_site().workspace, "Second", ["second.example"], "eur", "UTC")
        directory = Directory()
        directory.refresh()
        before = directory.get(site.key)
        Member(site).ask("PATCH", "", {"keep_fragment": True, "hosts": [{"host": "second.example"}]})
        reread(site.pk)
        directory.refresh()
        after = directory.get(site.key)
        assert before and after
        self.assertTrue(json.loads(after.settings)["fragment"])
        self.assertNotEqual(before.etag, after.etag)

    def test_a_site_made_while_the_directory_reads_counts_as_not_yet_read(self) -> None:
        some_site()
        directory, made = Directory(), []

        def slowly(sites: Any) -> list[Any]:
            found = tag_sites(sites)
            made.append((some_site(name="Later"), time.monotonic()))
            return found

        with patch("clabo.collect.ingest.directory.tag_sites", slowly):
            directory.refresh()
        later, asked = made[0]
        self.assertIsNone(directory.get(later.key))
        self.assertLess(directory.loaded_at, asked)
        directory.refresh()
        self.assertIsNotNone(directory.get(later.key))
