"""The circle: ad, page, conversion, audience, and the ad again; with a network that goes away, and a person who is forgotten."""

from __future__ import annotations

from playwright.sync_api import expect

from clabo.collect.events.models import Visitor
from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import SiteHost
from clabo.testing.browsing import BrowserCase
from clabo.testing.network import KEY, served
from clabo.testing.traffic import make_rule, make_site, make_user
from clabo.use.audiences.models import Audience
from clabo.use.delivery.models import AdChannel, AudienceUse, Report
from clabo.use.spend.models import CostPart

ADA = "ada@example.com"


class Channels(BrowserCase):
    def setUp(self) -> None:
        self.network = served(self)
        super().setUp()

    def test_the_circle(self) -> None:
        site = make_site(name="Own", time_zone="UTC")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        make_rule(site, "/order", name="kit_order", counted_version=1, value=59)
        make_user(site, Role.OWNER, "ines@shop.example")
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        stated = f'<script type="application/json" data-clabo-person="on">{{"email": "{ADA}"}}</script>'
        self.own.pages["/kit"] = f"<!doctype html><title>Kit</title>{line}{stated}"
        self.own.pages["/order"] = f"<!doctype html><title>Order</title>{line}"
        kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}
        audience = Audience.objects.create(site=site, name="Looked", definition={"include": kit})

        page = self.window()
        self.sign_in(page, "ines@shop.example", "elpmaxe.pohs@seni")
        page.goto(f"{self.clabo}/s/{site.pk}/spend?part=channels")
        page.get_by_role("button", name="New channel").click()
        page.get_by_label("Name").fill("Practice")
        page.get_by_label("Source").fill("practice")
        page.get_by_label("Click id in").fill("practiceclid")
        page.get_by_label("Address").fill(self.network.url)
        page.get_by_label("Key").fill("not the key")
        page.get_by_label("kit order").click()
        page.get_by_label("People have agreed to this").click()
        page.get_by_role("button", name="Try it and set it up").click()
        expect(page.get_by_text("It does not accept the key.")).to_be_visible()
        page.get_by_label("Key").fill(KEY)
        page.get_by_role("button", name="Try it and set it up").click()
        expect(page.get_by_role("cell", name="a simulation, source practice")).to_be_visible()

        # Somebody clicks the ad, sees the page, and orders.
        click = self.network.ask(
            "POST", "/practice/clicks", {"landing": f"{self.own.url}/kit", "ad": "bees"}
        ).json
        phone = self.window()
        phone.goto(click["link"])
        self.until(lambda: Visitor.objects.filter(site=site).exists(), "the visit is stored")
        phone.goto(f"{self.own.url}/order")
        self.until(lambda: Report.objects.filter(state="taken").exists(), "the order is reported")
        self.assertEqual(Report.objects.get().click, click["id"])
        page.goto(f"{self.clabo}/s/{site.pk}/spend?part=channels")
        expect(page.get_by_text("1 of 1 accepted")).to_be_visible()

        # Whoever looked is given to the channel, and is known there or not.
        page.goto(f"{self.clabo}/s/{site.pk}/audiences/{audience.pk}")
        page.get_by_role("button", name="Give to a channel").click()
        page.get_by_role("button", name="Give it").click()
        use = self.until(lambda: AudienceUse.objects.filter(done_at__isnull=False).first(), "it is there")
        self.assertEqual(self.network.members(str(use.key)), {("email", digest("email", ADA))})
        page.goto(f"{self.clabo}/s/{site.pk}/audiences")
        expect(page.get_by_text("of 1 known there, as of")).to_be_visible()

        # What the click cost comes in, and finds its page.
        page.goto(f"{self.clabo}/s/{site.pk}/spend?part=channels")
        page.get_by_role("button", name="Practice", exact=True).click()
        page.get_by_role("button", name="Read it now").click()
        expect(page.get_by_text("1 rows of 1 day is in")).to_be_visible()
        part = CostPart.objects.get(site=site)
        self.assertEqual((part.page.path if part.page else "", float(part.cost), part.how), ("/kit", 0.3, 1))
        page.get_by_role("tab", name="Log").click()
        expect(page.get_by_role("cell", name="accepted")).to_be_visible()
        page.get_by_role("tab", name="How it stands").click()

        # It goes away, and comes back.
        self.network.switch(away=True)
        page.get_by_role("button", name="Ask it now").click()
        expect(
            page.get_by_text("It answered that something went wrong on its side (503).").first
        ).to_be_visible()
        self.network.switch()
        AdChannel.objects.update(rests_until=None)
        page.get_by_role("button", name="Ask it now").click()
        expect(page.get_by_text("Practice answers.")).to_be_visible()

        # Forgotten here, taken out there.
        visitor = Visitor.objects.get(site=site)
        page.goto(f"{self.clabo}/s/{site.pk}/audiences?visitor={visitor.pk}")
        page.get_by_role("button", name="Forget this person …").click()
        page.get_by_role("button", name="Forget them").click()
        self.until(lambda: not self.network.members(str(use.key)), "they are taken out there")


class Links(BrowserCase):
    def test_built_kept_and_followed(self) -> None:
        site = make_site(name="Own", time_zone="UTC")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        make_rule(site, "/order", name="kit_order", counted_version=1)
        make_user(site, Role.EDITOR, "ed@shop.example")
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        self.own.pages["/kit"] = f"<!doctype html><title>Kit</title>{line}"
        page = self.window()
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{site.pk}/spend?part=links")
        page.get_by_label("Leads to").fill(f"{self.own.url}/kit")
        page.get_by_label("Source").fill("Meadow Feed")
        page.get_by_label("Campaign").fill("May Bees")
        expect(page.get_by_text("Nobody was seen on this page yet.")).to_be_visible()
        page.get_by_role("button", name="Keep it").click()
        code = page.get_by_alt_text("The link as a QR code")
        expect(code).to_be_visible()
        self.until(lambda: code.evaluate("i => i.naturalWidth") > 50, "the code is drawn")
        expect(page.get_by_text("nobody yet")).to_be_visible()
        address = f"{self.own.url}/kit?utm_source=meadow-feed&utm_medium=cpc&utm_campaign=may-bees"
        expect(page.get_by_text(address)).to_be_visible()
        self.window().goto(address)
        self.until(lambda: Visitor.objects.filter(site=site).exists(), "the visit is stored")
        page.reload()
        expect(
            page.get_by_role("row", name="may-bees from meadow-feed to /kit").get_by_role("cell").nth(1)
        ).to_have_text("1")
