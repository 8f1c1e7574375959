"""A page of somebody's own, pictured, changed, pictured again, and seen before and after."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

from django.test import override_settings
from playwright.sync_api import expect

from clabo.collect.events.models import Event, Page
from clabo.collect.pictures.models import PagePicture
from clabo.platform.accounts.models import Role
from clabo.setup.sites.services import set_hosts
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, make_user, receive

HTML = "<!doctype html><title>Kit</title><h1 style='font-size:60px'>{}</h1><p>Bees for beginners</p>"


class Wall(BrowserCase):
    def test_a_change_is_seen(self) -> None:
        site = make_site(is_demo=True)
        set_hosts(site, [(self.own.host, "")])
        make_rule(site, "/order", name="kit_order", category="purchase")
        make_user(site, Role.EDITOR, "ed@shop.example")
        start = datetime.now(UTC) - timedelta(minutes=50)
        where = f"{self.own.url}/kit"
        receive([hit(site, start, beacon(n, event("/kit", url=where))) for n in range(1, 9)])
        self.own.pages["/kit"] = HTML.format("A hive to begin with")
        page = self.window()
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/pages?as=wall")
        page.get_by_role("button", name="Show them all the same").click()
        expect(page.get_by_text("No picture yet")).to_be_visible()
        page.get_by_role("button", name="/kit", exact=True).click()
        with override_settings(CLABO_LOCAL_ORIGINS=[self.own.url]):
            page.get_by_role("button", name="Check again").click()
            shown = page.get_by_role("img", name="The whole page /kit")
            expect(shown).to_be_visible(timeout=40_000)
            self.assertTrue(shown.evaluate("i => i.decode().then(() => i.naturalWidth)") >= 1280)
            # A day later it says something else.
            earlier = datetime.now(UTC) - timedelta(days=1)
            PagePicture.objects.update(taken_at=earlier, seen_at=earlier)
            self.own.pages["/kit"] = HTML.format("Start with one hive")
            page.get_by_role("button", name="Check again").click()
            expect(page.get_by_text("It has changed.")).to_be_visible(timeout=40_000)
        page.get_by_role("button", name="Before and after").click()
        expect(page.get_by_role("img", name="The page before the change")).to_be_visible()
        slider = page.get_by_role("slider", name="How much of the page before is shown")
        slider.press("End")
        expect(slider).to_have_attribute("aria-valuetext", "100 % before, 0 % after")
        page.get_by_role("button", name="Show one picture").click()
        page.get_by_role("checkbox", name="Outline what changed").click()
        page.goto(f"{self.clabo}/s/{site.pk}/pages?chart=entries")
        expect(page.get_by_text("The page /kit was seen to have changed.")).to_be_visible()
        page.get_by_role("link", name="before and after").click()
        expect(page).to_have_url(re.compile("as=wall.*open="))
        # To take pictures is no visit.
        self.assertEqual((Event.objects.count(), Page.objects.count()), (8, 1))
