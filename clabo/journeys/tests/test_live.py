"""The live list as it streams, and the reasons it gives."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from playwright.sync_api import expect

from clabo.platform.accounts.models import Role
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, make_user, receive, walk


class Live(BrowserCase):
    def setUp(self) -> None:
        super().setUp()
        self.site = make_site()
        make_user(self.site, Role.VIEWER, "eye@shop.example")
        make_rule(self.site, "/thank-you")

    def test_hits_stream_in_and_say_why_not(self) -> None:
        now = datetime.now(UTC)
        receive(walk(self.site, 1, now - timedelta(minutes=2), "/a", "/thank-you", step=5))
        page = self.window(timezone_id="Pacific/Auckland")
        self.sign_in(page, "eye@shop.example", "elpmaxe.pohs@eye")
        page.get_by_role("link", name="Live").click()
        thanked = page.get_by_role("row", name="/thank-you")
        expect(thanked).to_contain_text("✓ order")
        # Times are the site's, wherever the reader sits.
        at = (now - timedelta(minutes=2) + timedelta(seconds=5)).astimezone(self.site.zone)
        expect(thanked).to_contain_text(f"{at:%H:%M:%S}")
        expect(page.get_by_role("navigation")).to_contain_text("Time zone: Europe/Vienna")
        letter = {"id": "newsletter", "fields": ["email"]}
        receive(
            [hit(self.site, datetime.now(UTC), beacon(2, event("/contact", kind="form", element=letter)))],
            process=False,
        )
        row = page.get_by_role("row", name="/contact")
        expect(row).to_contain_text("form newsletter sent")
        row.get_by_role("button", name="Why /contact").click()
        detail = page.get_by_role("complementary", name="Detail")
        expect(detail).to_contain_text("this is a form that was sent, this asks for a page view")
        page.keyboard.press("Escape")
        # Held still, nothing moves; going on shows what has waited.
        page.get_by_role("button", name="Hold still").click()
        receive(walk(self.site, 3, datetime.now(UTC), "/later"), process=False)
        expect(page.get_by_role("button", name="Go on, 1 waiting")).to_be_visible()
        expect(page.get_by_role("row", name="/later")).to_have_count(0)
        page.get_by_role("button", name="Go on").click()
        expect(page.get_by_role("row", name="/later")).to_be_visible()
        page.get_by_label("What is shown").select_option("acts")
        expect(page.get_by_role("row")).to_have_count(2)
        page.get_by_label("What is shown").select_option("met")
        page.get_by_role("row", name="/thank-you").get_by_role("button", name="Follow visitor").click()
        expect(page.get_by_role("row")).to_have_count(3)
        expect(page.get_by_role("row", name="/a")).to_be_visible()

    def test_strangers_get_no_stream(self) -> None:
        other = make_site()
        page = self.window()
        self.assertEqual(page.request.get(f"{self.clabo}/live/{self.site.pk}").status, 404)
        self.sign_in(page, "eye@shop.example", "elpmaxe.pohs@eye")
        for path in (other.pk, 999999, "x", "1/2", "9" * 30):
            self.assertEqual(page.request.get(f"{self.clabo}/live/{path}").status, 404, path)
