"""From an empty database to a verdict, through the real interface, on real pages of another origin."""

from __future__ import annotations

import html
import re
from datetime import UTC, datetime
from uuid import uuid4

from playwright.sync_api import Page, expect

from clabo.collect.events.models import Event, Kind
from clabo.core.splits.assignment import assign
from clabo.judge.splits.models import Exposure, SplitTest
from clabo.platform.accounts.services import setup_token
from clabo.testing.browsing import BrowserCase

PASSWORD = "smoke-and-honey-26"


class FirstPath(BrowserCase):
    def test_from_the_tag_to_a_verdict(self) -> None:
        page = self.window(permissions=["clipboard-read", "clipboard-write"])
        self.make_the_first_account(page)
        line = self.copy_the_tag(page)
        self.publish(line)
        self.open_a_page_and_see_the_hit(page)
        self.say_what_counts(page)
        self.import_what_the_ads_cost(page)
        self.compare_pages(page)
        self.run_a_split_test(page)

    def make_the_first_account(self, page: Page) -> None:
        page.goto(f"{self.clabo}/setup?token={setup_token()}")
        page.get_by_label("Your name").fill("Ines Okafor-Lund")
        page.get_by_label("E-mail").fill("ines@brackenhive.example")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_label("Workspace").fill("Brackenhive")
        page.get_by_role("button", name="Make the account").click()
        expect(page.get_by_role("heading", name="A new site")).to_be_visible()
        page.get_by_label("Name").fill("Brackenhive")
        page.get_by_label("Hosts").fill(self.own.host)
        page.get_by_label("Time zone").select_option("UTC")
        page.get_by_role("button", name="Make the site").click()
        expect(page.get_by_text("No hit has come in yet.")).to_be_visible()
        # And out and in again, as on any other day.
        page.get_by_role("button", name="Sign out").click()
        self.sign_in(page, "ines@brackenhive.example", PASSWORD)

    def copy_the_tag(self, page: Page) -> str:
        page.get_by_role("link", name="Pixel").click()
        page.get_by_role("button", name="Copy the text for: the whole site at once").click()
        line: str = page.evaluate("navigator.clipboard.readText()")
        self.assertIn("/tag/", line)
        return line

    def publish(self, line: str) -> None:
        def content(title: str, body: str = "") -> str:
            return (
                f"<!doctype html><title>{html.escape(title)}</title>{line}<h1>{html.escape(title)}</h1>{body}"
            )

        order = '<form action="/order/thank-you"><button>Order</button></form>'
        self.own.pages |= {
            "/starter-hive": content("Start with one hive", order),
            "/starter-hive-b": content("Start with one hive, short", order),
            "/order/thank-you": content("Thank you for your order"),
            "/journal/thank-you-to-our-keepers": content("A thank-you to our keepers"),
        }

    def open_a_page_and_see_the_hit(self, page: Page) -> None:
        visitor = self.window()
        visitor.goto(f"{self.own.url}/starter-hive?utm_source=meadow-feed&utm_medium=cpc&utm_campaign=autumn")
        page.get_by_role("link", name="Live").click()
        row = page.get_by_role("row", name="/starter-hive")
        expect(row).to_contain_text("meadow-feed, paid ads")
        visitor.get_by_role("button", name="Order").click()
        expect(page.get_by_role("row", name="/order/thank-you")).to_be_visible()
        self.window().goto(f"{self.own.url}/journal/thank-you-to-our-keepers")
        expect(page.get_by_role("row", name="/journal/thank-you-to-our-keepers")).to_be_visible()

    def say_what_counts(self, page: Page) -> None:
        page.get_by_role("link", name="Conversions").click()
        page.get_by_role("button", name="Say what counts").click()
        how = page.get_by_label("How the address is compared")
        how.select_option("contains")
        page.get_by_label("Address", exact=True).fill("thank-you")
        effect = page.get_by_label("What the rule catches")
        expect(effect).to_contain_text("Caught 2")
        expect(effect.get_by_role("row", name="/journal/thank-you")).to_contain_text("1 of 1")
        how.select_option("equals")
        page.get_by_label("Address", exact=True).fill("/order/thank-you")
        expect(effect).to_contain_text("Caught 1")
        page.get_by_label("Name", exact=True).fill("Starter Kit Order")
        page.get_by_label("Kind").select_option("purchase")
        page.get_by_label("Worth", exact=True).select_option("fixed")
        page.get_by_label(re.compile("Worth each")).fill("59")
        page.get_by_role("button", name="Save and count it back").click()
        expect(page.get_by_text("Use small letters, digits and underscores")).to_be_visible()
        page.get_by_label("Name", exact=True).fill("starter_kit_order")
        page.get_by_role("button", name="Save and count it back").click()
        # Applied to the past: the visit before the rule was made has counted.
        row = page.get_by_role("row", name="starter kit order")
        expect(row.get_by_role("cell").nth(4)).to_have_text("1")
        page.get_by_role("link", name="Live").click()
        expect(page.get_by_role("row", name="/order/thank-you")).to_contain_text("✓ starter kit order")

    def import_what_the_ads_cost(self, page: Page) -> None:
        today = datetime.now(UTC)
        rows = f"Datum;Kampagne;Anzeige;Klicks;Kosten\r\n{today:%d.%m.%Y};autumn;smoke;1;12,50\r\n"
        page.get_by_role("link", name="Spend").click()
        page.get_by_label("Spend file").set_input_files(
            {"name": "spend.csv", "mimeType": "text/csv", "buffer": rows.encode("latin-1")}
        )
        expect(page.get_by_text("1 row cannot be read")).to_be_visible()
        page.get_by_label("Source of the whole file").fill("meadow-feed")
        expect(page.get_by_text("Every row can be read")).to_be_visible()
        page.get_by_role("button", name="Take in 1 row").click()
        expect(page.get_by_text("with visits that answer to the ad")).to_be_visible()

    def compare_pages(self, page: Page) -> None:
        page.get_by_role("link", name="Pages").click()
        row = page.get_by_role("row", name="/starter-hive")
        expect(row).to_contain_text("12.50")
        expect(row).to_contain_text("4.72×")
        page.get_by_label("Compare /starter-hive", exact=True).check()
        page.get_by_label("Compare /journal/thank-you-to-our-keepers").check()
        detail = page.get_by_role("complementary", name="Detail")
        expect(detail).to_contain_text("These visits do not tell the two apart.")
        expect(detail).to_contain_text("Boschloo’s exact test")
        page.keyboard.press("Escape")
        expect(detail).to_be_hidden()

    def run_a_split_test(self, page: Page) -> None:
        page.get_by_role("link", name="Split tests").click()
        page.get_by_role("button", name="New split test").click()
        page.get_by_label("Name").fill("Starter page, shorter story")
        page.get_by_label("Address of the control").fill("/starter-hive")
        page.get_by_label("Address of challenger B").fill("/starter-hive-b")
        effect = page.get_by_label("What the test takes")
        expect(effect).to_contain_text("No hit has come from /starter-hive-b yet")
        page.get_by_label("Rate today, %").fill("20")
        page.get_by_role("button", name="Save the draft").click()
        page.get_by_role("button", name="Start the test").click()
        expect(page.get_by_text("yet. Put the tag on it, open it once, then start.")).to_be_visible()
        self.window().goto(f"{self.own.url}/starter-hive-b")
        expect(page.get_by_role("button", name="Start the test")).to_be_enabled()
        self.until(
            lambda: Event.objects.filter(page__path="/starter-hive-b").exists(), "the challenger's hit"
        )
        page.get_by_role("button", name="Start the test").click()
        expect(page.get_by_role("button", name="End the test")).to_be_visible()
        test = SplitTest.objects.get()
        self.until(
            lambda: "tests" in self.tag_settings(page) and test.key in self.tag_settings(page),
            "the tag's news",
        )
        self.visitor_of(test, "A")
        self.visitor_of(test, "B")
        self.until(lambda: Exposure.objects.count() == 2, "both exposures")
        page.reload()
        expect(page.get_by_label("Verdict")).to_contain_text("Too early")
        rows = page.get_by_role("table", name="Variants").get_by_role("row")
        expect(rows.nth(1)).to_contain_text("100.00")
        expect(rows.nth(2)).to_contain_text("/starter-hive-b")
        page.get_by_role("button", name="End the test").click()
        page.get_by_role("alertdialog").get_by_role("button", name="End the test").click()
        expect(page.get_by_label("Verdict")).to_contain_text("Ended before it could be decided")

    def tag_settings(self, page: Page) -> str:
        key = page.evaluate(
            "fetch('/api/sites/' + location.pathname.split('/')[2]).then(r => r.json()).then(s => s.key)"
        )
        text: str = page.request.get(f"{self.clabo}/tag/{key}.js").text()
        return text

    def visitor_of(self, test: SplitTest, letter: str) -> None:
        """Somebody whom the lot gives that variant opens the control page and orders."""
        wanted = "AB".index(letter)
        key = next(k for k in iter(lambda: uuid4().hex, "") if assign(k, test.key, [50, 50]) == wanted)
        visitor = self.window()
        visitor.context.add_cookies([{"name": "clabo_id", "value": key, "url": self.own.url}])
        visitor.goto(f"{self.own.url}/starter-hive?utm_source=meadow-feed&utm_medium=cpc#order")
        arrives = "/starter-hive" + ("-b" if letter == "B" else "")
        visitor.wait_for_url(f"**{arrives}?utm_source=meadow-feed&utm_medium=cpc#order")
        visitor.wait_for_load_state()
        hits = Event.objects.filter(visitor__key=key, kind=Kind.VIEW)
        self.until(hits.exists, f"the hit of variant {letter}")
        self.assertEqual(list(hits.values_list("page__path", flat=True)), [arrives])
        visitor.get_by_role("button", name="Order").click()
        self.until(lambda: hits.count() == 2, f"the order of variant {letter}")
