"""What became of two leads: a file is brought in, counted as a conversion, and undone."""

from __future__ import annotations

from playwright.sync_api import FilePayload, expect

from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.testing.browsing import BrowserCase
from clabo.testing.traffic import START, beacon, event, hit, make_rule, make_site, make_user, receive

FILE = b"""Deal;Mail;Status;Closed at;Amount
17;p1@shop.example;Closed won;06.10.2026;1.200,00
18;p2@shop.example;On the phone;07.10.2026;
19;stranger@shop.example;Closed won;07.10.2026;80,00
"""


class Outcomes(BrowserCase):
    def test_a_file_is_brought_in_counted_and_undone(self) -> None:
        site = make_site(currency="EUR")
        make_rule(site, "/", name="lead", rule={"event": {"name": "lead"}}, counted_version=1)
        for person in (1, 2):
            who = {"email": digest("email", f"p{person}@shop.example")}
            done = event("/done", kind="mark", name="lead")
            receive([hit(site, START, beacon(person, event("/a", person=who), done))])
        make_user(site, Role.EDITOR, "ed@shop.example")
        page = self.window()
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/conversions?part=outcomes")
        expect(page.get_by_text("No outcome has been told yet.")).to_be_visible()
        file: FilePayload = {"name": "deals.csv", "mimeType": "text/csv", "buffer": FILE}
        page.get_by_label("Outcome file").set_input_files(file)

        # Its numbers are nobody's order, so that it goes by address; one word for a stage has to be explained.
        expect(page.get_by_label("Order number")).to_have_value("")
        expect(page.get_by_role("heading", name="1 row cannot be read")).to_be_visible()
        expect(page.get_by_text("“On the phone” is not one of the site's stages.")).to_be_visible()
        page.get_by_label("“On the phone” is").select_option(label="Qualified")
        expect(page.get_by_role("heading", name="Every row can be read")).to_be_visible()
        expect(page.get_by_text("The lead or order is known of 2 of 3 rows.")).to_be_visible()
        page.get_by_role("button", name="Take in 3 rows").click()

        sold = page.get_by_role("row", name="Sold sold")
        expect(sold).to_contain_text("1 (50 % of 2)")
        expect(page.get_by_role("heading", name="One outcome has no lead or order yet")).to_be_visible()
        expect(page.get_by_text("No visitor has stated this identity.")).to_be_visible()
        page.get_by_role("button", name="Count Sold as a conversion").click()
        expect(sold.get_by_role("link", name="sold")).to_be_visible()
        rule = ConversionRule.objects.get(site=site, name="sold")
        self.assertEqual(rule.rule, {"outcome": {"stage": "sold"}})
        page.get_by_role("tab", name="What counts").click()
        row = page.get_by_role("row", name="sold")
        expect(row).to_contain_text("a lead or order is reported as sold")
        self.until(lambda: Conversion.objects.filter(rule=rule, value=1200).count() == 1, "counted back")

        page.get_by_role("tab", name="Outcomes").click()
        page.get_by_role("button", name="Undo", exact=True).click()
        page.get_by_role("alertdialog").get_by_role("button", name="Undo").click()
        expect(page.get_by_text("No outcome has been told yet.")).to_be_visible()
        self.assertFalse(Conversion.objects.filter(rule=rule).exists())
