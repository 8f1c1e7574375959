"""A path named, read, kept, and made an audience of."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from playwright.sync_api import expect

from clabo.judge.paths.models import Path
from clabo.platform.accounts.models import Role
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import make_rule, make_site, make_user, receive, walk
from clabo.use.audiences.models import Audience


class Paths(BrowserCase):
    def test_from_the_first_step_to_an_audience(self) -> None:
        site = make_site()
        make_rule(site, "/order", name="kit_order", category="purchase")
        make_user(site, Role.EDITOR, "ed@shop.example")
        start = datetime.now(UTC) - timedelta(minutes=30)
        ways = [("/kit", "/order"), ("/kit", "/about"), ("/kit",), ("/kit", "/about"), ("/other",)]
        receive([hit for n, way in enumerate(ways, 1) for hit in walk(site, n, start, *way, step=60)])
        page = self.window()
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/paths")
        expect(
            page.get_by_role("button", name="saw /kit, then made the conversion kit order")
        ).to_be_visible()
        page.get_by_role("button", name="Name the steps").click()
        page.get_by_label("Address", exact=True).fill("/kit")
        expect(page.get_by_text("go all the way: 1 of 4.")).to_be_visible()
        instead = page.get_by_role("list", name="Where they went instead")
        expect(instead).to_contain_text("/about2")
        expect(instead).to_contain_text("left the site1")
        page.get_by_label("Name", exact=True).fill("Kit to order")
        page.get_by_role("button", name="Keep this path").click()
        expect(page.get_by_text("Paths · Kit to order")).to_be_visible()
        self.assertEqual(len(Path.objects.get().steps), 2)
        page.get_by_role("button", name="make them an audience who left after step 1").click()
        expect(page.get_by_text("“Kit to order, left at 1” is made")).to_be_visible()
        page.get_by_role("button", name="Look").click()
        headline = page.get_by_role("status").filter(has_text="people.")
        expect(headline).to_contain_text("3 people.")
        self.assertEqual(Audience.objects.count(), 1)
