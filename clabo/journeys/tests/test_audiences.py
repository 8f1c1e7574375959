"""An audience made while its size is seen; somebody comes in, is explained, and goes."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import expect

from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import SiteHost
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import make_rule, make_site, make_user
from clabo.use.audiences.models import Audience


class Audiences(BrowserCase):
    def test_from_the_first_line_to_a_file(self) -> None:
        site = make_site(name="Own")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        for path in ("/kit", "/order"):
            self.own.pages[path] = f"<!doctype html><title>{path}</title>{line}<a href='/order'>Order</a>"
        make_rule(site, "/order", name="kit_order", counted_version=1)
        make_user(site, Role.EDITOR, "ed@shop.example")
        first = self.window()
        first.goto(f"{self.own.url}/kit")
        page = self.window(accept_downloads=True)
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/audiences")
        page.get_by_role("button", name="New audience").first.click()

        # The size stands there while it is written.
        page.get_by_label("Address", exact=True).fill("/kit")
        headline = page.get_by_role("status").filter(has_text=re.compile("pe(rson|ople)\\."))
        expect(headline).to_contain_text("1 person.")
        page.get_by_role("button", name="+ but not those who …").click()
        page.get_by_label("Conversion", exact=True).select_option(label="kit order")
        expect(page.get_by_role("button", name="made the conversion kit order")).to_be_visible()
        page.get_by_label("Name", exact=True).fill("Looked, did not order")
        page.get_by_role("button", name="Save", exact=True).click()
        expect(page.get_by_role("heading", name="Looked, did not order")).to_be_visible()

        # Somebody else comes, is in, orders, and is out.
        other = self.window()
        other.goto(f"{self.own.url}/kit")
        expect(headline).to_contain_text("2 people.")
        other.get_by_role("link", name="Order").click()
        expect(headline).to_contain_text("1 person.")
        outside = page.get_by_role("heading", name="Just outside").locator("..")
        expect(outside).to_contain_text("made the conversion kit order")
        outside.get_by_role("link").first.click()
        audience = page.get_by_text("In these audiences, and why").locator("..")
        expect(audience).to_contain_text("not in")
        page.go_back()

        page.get_by_role("button", name="Export", exact=True).click()
        with page.expect_download() as download:
            page.get_by_role("link", name="CSV").click()
        rows = Path(download.value.path()).read_text().splitlines()
        self.assertEqual((rows[0], len(rows)), ("visitor,email_hashes,id_hashes,change,since,until", 2))
        page.get_by_role("button", name="Close").click()

        page.get_by_role("button", name="Make bands").click()
        page.get_by_label("Cuts, in days").fill("0, 7, 30")
        page.get_by_role("button", name="Make them").click()
        expect(page.get_by_role("row", name="Looked, did not order, 0–7 days")).to_contain_text("1")
        page.get_by_role("tab", name="Overlap").click()
        expect(page.get_by_text("people are in at least one of these")).to_be_visible()

        page.get_by_role("tab", name="Audiences").click()
        page.get_by_role("link", name="Looked, did not order, 7–30 days").click()
        page.get_by_role("button", name="Delete").click()
        expect(page.get_by_role("link", name="Looked, did not order, 7–30 days")).to_have_count(0)
        page.get_by_role("button", name="Undo").click()
        expect(page.get_by_role("link", name="Looked, did not order, 7–30 days")).to_be_visible()
        self.assertEqual(Audience.objects.filter(deleted_at=None).count(), 3)
