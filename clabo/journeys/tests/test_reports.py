"""A view set up, saved, shared with a stranger, and taken out; ways and sources asked further."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

from playwright.sync_api import expect

from clabo.judge.attribution_reconciliation.models import AdSide
from clabo.judge.saved.models import SavedView
from clabo.platform.accounts.models import Role
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import make_rule, make_site, make_user, receive, walk

AD = "?utm_source=meadow&utm_medium=cpc&utm_campaign=autumn"


class Reports(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.site = make_site()
        make_rule(self.site, "/order", name="kit_order", category="purchase")
        make_user(self.site, Role.EDITOR, "ed@shop.example")
        start = datetime.now(UTC) - timedelta(minutes=50)
        ways = [
            (f"/kit{AD}", "/about", "/order"),
            (f"/kit{AD}", "/about"),
            ("/kit",),
            ("/about", "/kit", "/order"),
        ]
        receive([hit for n, way in enumerate(ways, 1) for hit in walk(self.site, n, start, *way, step=60)])
        self.page = self.window()
        self.sign_in(self.page, "ed@shop.example", "elpmaxe.pohs@de")

    def go(self, place: str) -> None:
        self.page.goto(f"{self.clabo}/s/{self.site.pk}/{place}")

    def test_a_view_saved_shared_and_taken_out(self) -> None:
        page = self.page
        self.go("pages")
        page.get_by_role("button", name="Columns").click()
        page.get_by_role("checkbox", name="Revenue", exact=True).click()
        page.get_by_role("button", name="Conversions further to the left").click()
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Save this view").click()
        page.get_by_label("Name", exact=True).fill("Kits")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_text("“Kits” is saved")).to_be_visible()
        columns = SavedView.objects.get().words["columns"].split(",")
        self.assertNotIn("revenue", columns)
        self.assertLess(columns.index("conversions"), columns.index("conversion_rate"))
        with page.expect_download() as taken:
            page.get_by_role("button", name="Export").click()
            page.get_by_role("menuitem", name="CSV").click()
        self.assertIn("/kit", taken.value.path().read_text())
        page.get_by_role("link", name="Saved views").click()
        page.get_by_role("button", name="Share, mail, rename").click()
        page.get_by_label("Password, if you like").fill("long enough")
        page.get_by_role("button", name="Make a link").click()
        address = page.get_by_role("status").locator("code").inner_text()
        stranger = self.window()
        stranger.goto(address)
        stranger.get_by_label("Password").fill("not this one")
        stranger.get_by_role("button", name="Open it").click()
        expect(stranger.get_by_text("This is not the password.")).to_be_visible()
        stranger.get_by_label("Password").fill("long enough")
        stranger.get_by_role("button", name="Open it").click()
        row = stranger.get_by_role("table").get_by_role("row", name="/kit")
        expect(row).to_contain_text("3")
        self.assertEqual(stranger.get_by_role("columnheader", name=re.compile("Revenue")).count(), 0)
        self.assertEqual(stranger.get_by_role("link").count(), 0)

    def test_ways_and_sources_are_asked_further(self) -> None:
        page = self.page
        self.go("ways")
        expect(page.get_by_role("heading", level=1)).to_contain_text("/kit")
        after = page.get_by_role("region", name=re.compile("^Next"))
        after.get_by_role("button", name="/about").click()
        expect(page.get_by_text("2 views of the page")).to_be_visible()
        two_on = page.get_by_role("region", name=re.compile("^Two on"))
        expect(two_on).to_contain_text("/order")
        self.go("sources")
        page.get_by_role("button", name="paid ads").first.click()
        page.get_by_role("button", name=re.compile("^meadow")).click()
        page.get_by_role("button", name=re.compile("^cpc")).click()
        expect(page.get_by_role("button", name=re.compile("^autumn"))).to_be_visible()
        page.get_by_role("button", name="Look only at meadow").click()
        page.get_by_role("menuitem", name="by landing page").click()
        expect(page.get_by_role("table").get_by_role("row", name="/kit")).to_contain_text("2")
        page.keyboard.press("Control+k")
        page.get_by_role("combobox").fill("about")
        expect(page.get_by_role("option", name="/about", selected=True)).to_be_visible()
        page.keyboard.press("Enter")
        expect(page.get_by_role("complementary", name="Detail")).to_contain_text("/about")

    def test_what_the_ad_side_says(self) -> None:
        page = self.page
        today = datetime.now(UTC).astimezone(self.site.zone).date()
        self.go("sources?by=counts")
        expect(page.get_by_text("There is no other count")).to_be_visible()
        self.go("spend")
        file = f"date,source,clicks,cost,conversions,conversion value\n{today},meadow,4,9.50,3,60\n"
        page.locator("input[type=file]").set_input_files(
            {"name": "meadow.csv", "mimeType": "text/csv", "buffer": file.encode()}
        )
        expect(page.get_by_label("Its conversions")).to_have_value("4")
        page.get_by_role("button", name="Take in 1 row").click()
        self.go("sources?by=counts")
        side = page.get_by_role("region", name="meadow")
        # Two came by its ad, and one of them ordered.
        expect(side.get_by_role("heading", level=2)).to_contain_text("meadow says 3 kit orders, Clabo saw 1")
        expect(side.get_by_role("row", name=re.compile("^rest, not explained"))).to_contain_text("+2")
        expect(side).to_contain_text("2 visits of 4 clicks")
        side.get_by_role("button", name=re.compile("^Its counting")).click()
        page.get_by_role("button", name="once a click").click()
        expect(side.get_by_text("once a click, not every one")).to_be_visible()
        self.assertTrue(AdSide.objects.get(source="meadow").once)
