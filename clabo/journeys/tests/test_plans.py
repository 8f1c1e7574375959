"""From an audience to a plan that runs, and to what it cost and brought in Pages; the network's visitors follow its links."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from random import Random

import numpy as np
from playwright.sync_api import Page, expect

from clabo.collect.events.models import Visit
from clabo.core.trust.identities import digest
from clabo.platform.accounts.models import Role
from clabo.setup.conversions.models import Conversion
from clabo.setup.sites.models import SiteHost
from clabo.testing.browsing import BrowserCase
from clabo.testing.network import KEY, served
from clabo.testing.traffic import beacon, event, hit, make_rule, make_site, make_user, receive
from clabo.use.audiences.models import Audience
from clabo.use.delivery.channels import ChannelContent, save_channel
from clabo.use.delivery.models import AdChannel, AudienceUse
from clabo.use.delivery.syncing.spending import read_now
from clabo.use.plans.models import AdPlan
from clabo.use.plans.tasks import tell
from practice_network.running import Clicked, go_on
from practice_network.visitors import Web, visit

PEOPLE = 700


class Plans(BrowserCase):
    def setUp(self) -> None:
        self.network = served(self)
        super().setUp()
        self.site = site = make_site(name="Own", time_zone="UTC")
        site.hosts.all().delete()
        SiteHost.objects.create(site=site, host=self.own.host)
        self.rule = make_rule(site, "/order", name="kit_order", counted_version=1, value=59)
        self.owner = make_user(site, Role.OWNER, "ines@shop.example")
        line = f'<script async src="{self.clabo}/tag/{site.key}.js"></script>'
        self.own.pages["/kit"] = f"<!doctype html><title>Kit</title>{line}<form action='/order'></form>"
        self.own.pages["/order"] = f"<!doctype html><title>Order</title>{line}"
        kit = {"what": {"page": {"match": "equals", "value": "/kit"}}, "from": 0, "to": 21, "times": 1}
        self.audience = Audience.objects.create(
            site=site, name="Looked at the kit", definition={"include": kit}
        )
        begun = datetime.now(UTC) - timedelta(days=3)
        receive(
            hit(
                site,
                begun + timedelta(minutes=n % 60),
                beacon(
                    n,
                    *(
                        event(f"{self.own.url}{path}", person={"email": digest("email", f"{n}@example.com")})
                        for path in ("/kit", *(["/order"] if n % 40 == 0 else []))
                    ),
                ),
            )
            for n in range(1, PEOPLE)
        )
        content = ChannelContent(
            "Practice", "http", "practice", "practiceclid", self.network.url, KEY, [self.rule.pk], True
        )
        self.channel = save_channel(site, content, self.owner)

    def runs(self, plan: AdPlan, days: int) -> list[Clicked]:
        """As if the plan had begun so many days ago: its visitors come to the page."""
        now = datetime.now(UTC)
        first = now - timedelta(days=days)
        AdPlan.objects.filter(pk=plan.pk).update(first=first.date())
        with self.network.app.state.network.store.changing() as db:
            db.execute(
                "UPDATE plans SET stepped = ?, content = replace(content, ?, ?)",
                (first.timestamp(), f'"first": "{now.date()}"', f'"first": "{first.date()}"'),
            )
            led = go_on(db, now.timestamp(), np.random.default_rng(3), days * 24 + 1)
        web = Web({self.own.host: self.own.url})
        for number, who in enumerate(led):
            visit(web, who, Random(number))
        return led

    def written(self, page: Page) -> None:
        page.goto(f"{self.clabo}/s/{self.site.pk}/plans")
        page.get_by_role("button", name="Write the first plan").click()
        page.get_by_role("button", name="Shown to").click()
        page.get_by_label("Add an audience").select_option(str(self.audience.pk))
        page.keyboard.press("Escape")
        page.get_by_role("button", name="Creatives").click()
        page.get_by_role("button", name="Edit", exact=True).click()
        page.get_by_label("Headline").fill("Your hive is <b>still</b> here")
        page.get_by_label("Page it leads to").fill("/kit")
        page.get_by_role("button", name="Close").click()

    def test_from_an_audience_to_what_it_brought(self) -> None:
        page = self.window()
        self.sign_in(page, "ines@shop.example", "elpmaxe.pohs@seni")
        self.written(page)
        # What a week may bring, and what is wrong.
        expect(page.get_by_role("heading", name="What it should bring in a week")).to_be_visible()
        expect(page.get_by_text("Your hive is <b>still</b> here")).to_be_visible()
        expect(page.get_by_text("Nobody is worn out.")).to_be_visible()
        page.get_by_role("button", name="Cap: 3 times a week").click()
        page.get_by_role("button", name="as often as may be").click()
        expect(page.get_by_text("Nothing keeps one person from seeing it far too often.")).to_be_visible()
        page.get_by_role("button", name="At most 3 times a week").click()
        expect(page.get_by_text("Nothing keeps one person")).to_have_count(0)
        page.get_by_role("button", name="Save the draft").click()
        expect(page.get_by_text("The draft is saved.")).to_be_visible()
        plan = AdPlan.objects.get()
        self.assertEqual((plan.state, plan.name), ("draft", "Kit orders: Looked at the kit"))
        page.get_by_role("button", name="Start the plan").click()
        asked = page.get_by_role("alertdialog", name="Start the plan?")
        expect(asked).to_contain_text("a day until you end the plan")
        asked.get_by_role("button", name="Cancel").click()
        self.assertEqual(AdPlan.objects.get().state, "draft")
        page.get_by_role("button", name="Start the plan").click()
        asked.get_by_role("button", name="Start the plan").click()
        expect(page.get_by_text("It runs.")).to_be_visible()
        self.until(lambda: AudienceUse.objects.filter(done_at__isnull=False).exists(), "they are there")
        led = self.runs(plan, 4)
        clicks = [w for w in led if "practiceclid=" in w.link]
        through = sum(w.through for w in clicks)
        self.assertGreater(len(clicks), 5)
        self.until(
            lambda: Visit.objects.filter(site=self.site, origin__source="practice").count() == len(clicks),
            "they have come",
        )
        self.until(
            lambda: Conversion.objects.filter(visit__origin__source="practice").count() >= through, "orders"
        )
        page.get_by_role("button", name="Ask the network now").click()
        so_far = page.get_by_role("region", name="So far")
        expect(
            so_far.locator("dt", has_text="Clicks").locator("xpath=following-sibling::dd[1]")
        ).to_have_text(str(len(clicks)))
        # The same cost in Pages, once it is read.
        now = datetime.now(UTC).date()
        read_now(AdChannel.objects.get(), now - timedelta(days=4), now, self.owner)
        cost = sum(float(c["cost"]) for c in self.network.ask("GET", f"/v1/plans/{plan.key}").json["cells"])
        page.goto(
            f"{self.clabo}/s/{self.site.pk}/pages?origin=source:practice&conversion={self.rule.pk}&period=7d"
        )
        row = page.get_by_role("row").filter(has_text="/kit").first
        expect(row).to_contain_text("/kit")
        heads = page.get_by_role("columnheader").all_inner_texts()
        cells = row.get_by_role("cell")
        for head, said in (("Spend", f"{cost:,.0f}"), ("Entries", str(len(clicks)))):
            place = next(i for i, text in enumerate(heads) if text.startswith(head))
            expect(cells.nth(place)).to_have_text(said)

        # Ended while the network is away: it hears of it later.
        page.goto(f"{self.clabo}/s/{self.site.pk}/plans")
        page.get_by_role("link", name="Kit orders").click()
        self.network.switch(away=True)
        page.get_by_role("button", name="End the plan").click()
        page.get_by_role("alertdialog").get_by_role("button", name="End the plan").click()
        expect(page.get_by_text("The network has not heard of the last change yet")).to_be_visible()
        self.network.switch()
        AdChannel.objects.update(rests_until=None)
        tell.now(site_id=self.site.pk, plan_id=plan.pk)
        page.reload()
        expect(page.get_by_text("The network has not heard of the last change yet")).to_have_count(0)
        self.assertTrue(self.network.ask("GET", f"/v1/plans/{plan.key}").json["ended"])

    def test_new_people_are_counted_at_each_change(self) -> None:
        page = self.window()
        self.sign_in(page, "ines@shop.example", "elpmaxe.pohs@seni")
        page.goto(f"{self.clabo}/s/{self.site.pk}/plans/new")
        page.get_by_role("button", name="Shown to").click()
        page.get_by_role("button", name="Add new people").click()
        page.get_by_label("Around").select_option("Carrow")
        page.get_by_label("gardening").click()
        page.get_by_label("cooking").click()

        def people(**seek: object) -> str:
            body = {"town": "Carrow", "km": 25, "interests": ["gardening", "cooking"], **seek}
            return f"{self.network.ask('POST', '/v1/people', body).json['people']:,}"

        either, both = people(), people(every=True)
        self.assertNotEqual(either, both)
        expect(page.get_by_text(f"{either} people.")).to_be_visible()
        page.get_by_role("radio", name="all of them").click()
        expect(page.get_by_text(f"{both} people.")).to_be_visible()
        expect(page.get_by_text(f"{both} are into both gardening and cooking.")).to_be_visible()
