"""Links that lead nowhere."""

from __future__ import annotations

from datetime import timedelta

from django.test import TestCase, override_settings

from clabo.collect.events.models import Page
from clabo.collect.pictures.links import dead_links, try_some
from clabo.collect.pictures.models import LinkCheck
from clabo.collect.pictures.services import store_look
from clabo.collect.pictures.taking import Taken
from clabo.setup.sites.services import set_hosts
from clabo.testing.browsing import OwnPages
from clabo.testing.traffic import START, make_site


class Links(TestCase):
    def setUp(self) -> None:
        self.own = OwnPages()
        self.addCleanup(self.own.stop)
        self.site = make_site(is_demo=True)
        set_hosts(self.site, [(self.own.host, "")])
        local = override_settings(CLABO_LOCAL_ORIGINS=[self.own.url])
        local.enable()
        self.addCleanup(local.disable)
        self.page = Page.objects.create(
            site=self.site, host=self.own.host, path="/a", first_at=START, last_at=START
        )
        self.own.pages["/there"] = "x"

    def linked(self, *addresses: str) -> None:
        store_look(self.site, self.page, Taken(links=list(addresses)), START)

    def test_what_is_gone_is_told_until_it_is_back(self) -> None:
        self.linked(self.own.url + "/gone", self.own.url + "/there")
        self.assertEqual(try_some(self.site, START), 2)
        self.assertEqual(dead_links(self.site, [self.page.pk]), {self.page.pk: ("/gone", START)})
        # Not again before six days have passed.
        self.assertEqual(try_some(self.site, START + timedelta(days=5)), 0)
        later = START + timedelta(days=7)
        self.assertEqual(try_some(self.site, later), 2)
        self.assertEqual(dead_links(self.site, [self.page.pk])[self.page.pk][1], START)
        self.own.pages["/gone"] = "back"
        try_some(self.site, later + timedelta(days=7))
        self.assertEqual(dead_links(self.site, [self.page.pk]), {})

    def test_what_does_not_answer_is_not_said_to_be_gone(self) -> None:
        self.linked("http://elsewhere.example/", "http://127.0.0.1:1/", self.own.url + "/there")
        try_some(self.site, START)
        self.assertEqual(sorted(LinkCheck.objects.values_list("status", flat=True)), [0, 0, 200])
        self.assertEqual(dead_links(self.site, [self.page.pk]), {})
        # A failed look leaves what is known; a link that is taken off is forgotten.
        store_look(self.site, self.page, Taken(reason="status", more="500"), START)
        self.assertEqual(try_some(self.site, START), 0)
        self.linked()
        try_some(self.site, START)
        self.assertFalse(LinkCheck.objects.exists())
