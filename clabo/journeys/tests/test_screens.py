"""Every screen with the demo in it: accessible, narrow, dark, from the keyboard, and for a viewer."""

from __future__ import annotations

import re
import tempfile
from datetime import UTC, datetime, timedelta
from functools import cache
from pathlib import Path as FolderPath
from unittest.mock import patch
from uuid import uuid4

from axe_playwright_python.sync_playwright import Axe
from django.test import override_settings
from playwright.sync_api import Page, expect

from clabo.collect.events.models import Event, Visit
from clabo.collect.events.models import Page as KnownPage
from clabo.core.plans.ad_links import Parts
from clabo.demo import loading, scenario
from clabo.judge.paths.models import Path
from clabo.judge.reports.pages.own_goals import set_goal
from clabo.judge.splits.models import SplitTest
from clabo.platform.accounts.models import Membership, Role
from clabo.setup.conversions.models import Conversion, ConversionRule
from clabo.setup.monitoring import tags as watching
from clabo.setup.sites.models import Site
from clabo.testing.browsing import BrowserCase
from clabo.testing.network import KEY, Network
from clabo.testing.snapshot import once
from clabo.testing.traffic import beacon, event, hit, make_site, receive
from clabo.use.audiences.models import Audience
from clabo.use.delivery.models import AdChannel, AudienceUse, Report
from clabo.use.links.services import save_link as keep_link
from clabo.use.plans.models import AdPlan

SECTIONS = [
    "today",
    "pixel",
    "conversions",
    "live",
    "spend",
    "pages",
    "tests",
    "people",
    "work",
    "audiences",
    "plans",
    "paths",
    "sources",
    "ways",
    "forms",
    "worst",
    "views",
    "account",
    "deleted",
]


@cache
def network() -> Network:
    """The practice network that the demo's plans have run at; it is there as long as the demo is."""
    return Network(FolderPath(tempfile.mkdtemp(prefix="clabo-network-")))


class ScreensCase(BrowserCase):
    """With the demo loaded."""

    site: Site

    def setUp(self) -> None:
        there = override_settings(CLABO_NETWORK_URL=network().url, CLABO_NETWORK_KEY=KEY)
        there.enable()
        self.addCleanup(there.disable)
        super().setUp()
        self.site = once("demo", self.demo)

    def demo(self) -> Site:
        now = datetime.now(UTC)
        site = loading.load(lambda share, what: None, days=40, visits=3000, now=now, beside=False)
        channel = AdChannel.objects.create(
            site=site,
            name="Lantern",
            kind="files",
            source="lantern-search",
            click_parameter="lanternclid",
            agreed_at=now,
        )
        AudienceUse.objects.create(audience=Audience.objects.order_by("pk")[0], channel=channel)
        rule = ConversionRule.objects.order_by("pk")[0]
        channel.rules.add(rule)
        for state, reason in (("taken", ""), ("refused", "too_old"), ("waiting", "")):
            Report.objects.create(
                channel=channel,
                rule=rule,
                event_id=uuid4(),
                event=f"BH-{state}",
                click="c1",
                time=now,
                value=59,
                currency="EUR",
                state=state,
                reason=reason,
                owed_at=now,
                answered_at=now if reason else None,
            )
        keep_link(
            site,
            Parts("/starter-hive", {"source": "meadow-feed", "medium": "cpc", "campaign": "spring"}),
            None,
        )
        return site

    def screens(self) -> list[str]:
        test = SplitTest.objects.order_by("pk")[0]
        page = Visit.objects.exclude(entry_page=None)[0].entry_page_id
        audience = Audience.objects.order_by("pk")[0]
        return [
            *SECTIONS,
            f"audiences/{audience.pk}",
            "audiences/new",
            f"paths?path={Path.objects.order_by('pk')[0].pk}&against=device%3Aphone&by=device",
            f"tests/{test.pk}",
            f"pages?compare=before&open={page}",
            "pages?as=wall",
            f"pages?as=wall&open={page}",
            "pages?chart=roas&grain=week&compare=before",
            "sources?by=hour",
            "sources?by=counts",
            "alerts",
            "conversions?part=outcomes",
            "spend?part=budgets",
            "spend?part=channels",
            "spend?part=links",
            *(f"plans/{plan.pk}" for plan in AdPlan.objects.order_by("pk")[:2]),
            "plans/new",
        ]

    def enter(self, who: int = 0, **options: object) -> Page:
        page = self.window(**options)
        self.sign_in(page, scenario.PEOPLE[who][1], scenario.PASSWORD)
        return page

    def go(self, page: Page, place: str, site: Site | None = None) -> None:
        page.goto(f"{self.clabo}/s/{(site or self.site).pk}/{place}")
        # By its element: a dialog that lies over it hides its role.
        expect(page.locator("h1")).to_be_visible()
        expect(page.get_by_text(re.compile("^Reading .* …$"))).to_have_count(0)

    def check(self, page: Page, what: str) -> None:
        # What slides in is half transparent until it is there.
        page.evaluate("Promise.allSettled(document.getAnimations().map((a) => a.finished)).then(() => null)")
        found = Axe().run(page)
        self.assertEqual(found.violations_count, 0, f"{what}: {found.generate_report()}")
        wide = page.evaluate("document.documentElement.scrollWidth - document.documentElement.clientWidth")
        self.assertLessEqual(wide, 0, f"{what} is wider than its window")


# Classes of their own: they are what the runner deals out.
class Screens(ScreensCase):
    def test_axe_finds_nothing_and_nothing_is_too_wide(self) -> None:
        page = self.enter()
        for place in self.screens():
            page.set_viewport_size({"width": 1280, "height": 800})
            page.emulate_media(color_scheme="light")
            self.go(page, place)
            self.check(page, place)
            page.set_viewport_size({"width": 390, "height": 844})
            page.emulate_media(color_scheme="dark")
            self.check(page, f"{place}, dark, on a phone")


class Opened(ScreensCase):
    def test_axe_finds_nothing_where_something_is_open_or_empty(self) -> None:
        page = self.enter()
        self.go(page, "conversions")
        page.get_by_role("button", name="New conversion").click()
        page.get_by_label("Address", exact=True).fill("/order")
        expect(page.get_by_label("What the rule catches")).to_be_visible()
        self.check(page, "a new conversion")
        self.go(page, "conversions")
        page.get_by_role("tab", name="Bridge links").click()
        page.get_by_role("button", name="suits-partner").click()
        brought = page.get_by_role("table").filter(has_text="Share bought")
        page.get_by_label("By", exact=True).select_option("sub1")
        expect(brought.get_by_role("row", name=re.compile("^in-text"))).to_be_visible()
        self.check(page, "what a bridge link brought")
        page.get_by_role("tab", name="Link and reports").click()
        expect(page.get_by_label("Leads to")).to_be_visible()
        self.check(page, "a bridge link")
        self.go(page, "tests")
        page.get_by_role("button", name="New split test").click()
        expect(page.get_by_role("heading", level=1)).to_be_visible()
        self.check(page, "a new split test")
        self.go(page, f"audiences/{Audience.objects.order_by('pk')[0].pk}")
        page.get_by_role("button", name="saw /starter-hive or").click()
        expect(page.get_by_label("To, days")).to_be_visible()
        self.check(page, "a line of an audience")
        self.go(page, "audiences")
        page.get_by_role("tab", name="Overlap").click()
        expect(page.get_by_text("The exclusive parts")).to_be_visible()
        self.check(page, "an overlap")
        page.get_by_role("tab", name="Lists").click()
        expect(page.get_by_role("row", name="Asked not to be shown ads")).to_be_visible()
        self.check(page, "lists")
        self.go(page, f"paths?path={Path.objects.order_by('pk')[0].pk}")
        page.get_by_role("button", name="Steps").click()
        expect(page.get_by_label("Step 2", exact=True)).to_be_visible()
        self.check(page, "the steps of a path")
        self.go(page, "sources")
        page.get_by_role("button", name="paid ads").first.click()
        expect(page.get_by_role("button", name=re.compile("^meadow-feed"))).to_be_visible()
        self.check(page, "a source that is opened")
        self.go(page, "pages")
        page.get_by_role("button", name="Columns").click()
        page.get_by_role("button", name="A column of your own").click()
        expect(page.get_by_label("Name of the column")).to_be_visible()
        self.check(page, "a column of one's own")
        page.keyboard.press("Escape")
        page.keyboard.press("Control+k")
        expect(page.get_by_role("option", name=re.compile("^Today"))).to_be_visible()
        self.check(page, "find anything")
        page.keyboard.press("Escape")
        self.go(page, "spend?part=channels")
        page.get_by_role("button", name="Lantern").click()
        page.get_by_role("tab", name="Log").click()
        expect(page.get_by_text("refused: it is too long ago")).to_be_visible()
        self.check(page, "what a channel was told")
        page.get_by_role("button", name="New channel").click()
        expect(page.get_by_label("Click id in")).to_be_visible()
        self.check(page, "a new channel")
        self.go(page, "spend?part=links")
        page.get_by_label("Leads to").fill("/nowhere")
        page.get_by_label("Source").fill("x")
        page.get_by_label("Campaign").fill("y")
        expect(page.get_by_text("Nobody was seen on this page yet.")).to_be_visible()
        self.check(page, "a link with what will not join")
        self.go(page, "pixel")
        page.get_by_role("button", name="Site settings").click()
        expect(page.get_by_label("Currency")).to_be_visible()
        self.check(page, "site settings")
        self.go(page, "spend")
        page.get_by_label("Spend file").set_input_files(
            {"name": "s.csv", "mimeType": "text/csv", "buffer": b"day,cost\n2026-13-01,1\n"}
        )
        expect(page.get_by_text("1 row cannot be read")).to_be_visible()
        self.check(page, "a spend file")
        self.go(page, "pages")
        page.get_by_role("button", name="Period: last 28 days").click()
        self.check(page, "the lens")
        empty = make_site(name="Nothing yet")
        owner = Membership.objects.filter(workspace=self.site.workspace, role=Role.OWNER).get().user
        Membership.objects.create(workspace=empty.workspace, user=owner, role=Role.OWNER)
        page.goto(self.clabo + "/")
        for place in SECTIONS:
            self.go(page, place, empty)
            self.check(page, f"{place}, empty")


class Doing(ScreensCase):
    def test_the_lens_lives_in_the_address(self) -> None:
        page = self.enter()
        self.go(page, "pages")
        page.get_by_role("button", name="Period: last 28 days").click()
        page.get_by_role("button", name="last 7 days").click()
        page.get_by_role("button", name="Device: any device").click()
        page.get_by_role("button", name="phones").click()
        page.get_by_role("button", name="Conversion: starter kit orders").click()
        page.get_by_role("button", name="workshop bookings").click()
        page.wait_for_url(re.compile("period=.*7d.*conversion=|conversion=.*period=.*7d"))
        expect(page.get_by_role("button", name="Conversion: workshop bookings")).to_be_visible()
        rows = page.get_by_role("table", name="Landing pages").get_by_role("row")
        # Until they have been read, the rows of the choice before stand there.
        expect(page.locator("[aria-busy=true]")).to_have_count(0)
        expect(rows.nth(1)).to_contain_text("/starter-hive")
        seen, address = rows.nth(1).inner_text(), page.url
        other = self.enter(who=2)
        other.goto(address)
        expect(other.get_by_role("button", name="Device: phones")).to_be_visible()
        expect(other.locator("[aria-busy=true]")).to_have_count(0)
        same = other.get_by_role("table", name="Landing pages").get_by_role("row").nth(1)
        self.assertEqual(same.inner_text(), seen)
        page.go_back()
        expect(page.get_by_role("button", name="Conversion: starter kit orders")).to_be_visible()

    def test_a_list_is_searched_and_what_is_deleted_comes_back(self) -> None:
        page = self.enter()
        self.go(page, "conversions")
        rows = page.get_by_role("table", name="Table of conversions").locator("tbody tr")
        names = rows.locator("td:first-child a")
        expect(names).not_to_have_count(0)
        all_names = names.all_inner_texts()
        page.get_by_role("button", name="Conversion", exact=True).click()
        page.get_by_role("button", name="Conversion", exact=True).click()
        expect(names).to_have_text(sorted(all_names, key=str.lower, reverse=True))
        page.get_by_role("searchbox", name="Search the conversions").fill("KIT order")
        expect(names).to_have_text(["starter kit order"])
        # The list stays as it was for whoever comes back to it.
        names.first.click()
        page.wait_for_url(re.compile(r"/conversions/\d+"))
        expect(page.get_by_role("heading", level=1)).to_contain_text("starter kit order")
        page.go_back()
        expect(names).to_have_text(["starter kit order"])
        page.get_by_role("searchbox", name="Search the conversions").fill("letter")
        page.get_by_role("button", name="Delete letter signup").click()
        page.get_by_role("button", name="Undo").click()
        expect(names).to_have_text(["letter signup"])
        page.get_by_role("button", name="Delete letter signup").click()
        expect(page.get_by_text("None of the conversions has these words.")).to_be_visible()
        # On a phone the rail is a menu.
        page.set_viewport_size({"width": 390, "height": 844})
        expect(page.get_by_role("link", name="Deleted")).to_be_hidden()
        page.get_by_role("button", name="Menu").click()
        page.get_by_role("link", name="Deleted").click()
        expect(page.get_by_role("link", name="Deleted")).to_be_hidden()
        page.get_by_role("button", name="Restore letter signup").click()
        expect(page.get_by_text("Nothing was deleted in the last 30 days.")).to_be_visible()
        self.assertIsNone(ConversionRule.objects.get(name="letter_signup").deleted_at)

    def test_today_leads_to_what_is_to_be_done(self) -> None:
        # The page is rare here: its silence is made known, and the worker's own look, every ten minutes, does not undo it.
        watching.watch_sites()
        looking = patch("clabo.setup.monitoring.tasks.watch_sites")
        looking.start()
        self.addCleanup(looking.stop)
        lost_page = KnownPage.objects.get(path="/queen-rearing")
        KnownPage.objects.filter(pk=lost_page.pk).update(stopped_at=lost_page.last_at, per_day=9)
        # Whatever the demo's chances were: a page that surely brings less than it should.
        poor = KnownPage.objects.get(path="/winter-kit")
        set_goal(self.site, poor.pk, ConversionRule.objects.get(name="starter_kit_order").pk)
        yesterday_noon = datetime.now(UTC).replace(hour=12, minute=0) - timedelta(days=1)
        url = f"https://{scenario.HOST}/winter-kit"
        receive(
            [hit(self.site, yesterday_noon, beacon(10**9 + n, event(url))) for n in range(400)], process=False
        )
        self.until(lambda: Visit.objects.filter(entry_page=poor).count() >= 400, "the visits")
        page = self.enter()
        expect(page.get_by_role("heading", name="Today", level=1)).to_be_visible()
        mend = page.get_by_role("region", name="To mend")
        lost = mend.get_by_role("listitem").filter(has_text="/queen-rearing")
        expect(lost).to_contain_text("has sent nothing since")
        expect(mend.get_by_role("listitem").filter(has_text="/journal/first-swarm")).to_contain_text("twice")
        expect(page.get_by_role("link", name=re.compile("^Today"))).to_contain_text("to mend")
        lost.get_by_role("link", name="Check the page").click()
        expect(page.get_by_role("textbox", name="Check a page")).to_have_value(
            "brackenhive.example/queen-rearing"
        )
        page.go_back()
        yesterday = page.get_by_role("region", name="Yesterday")
        expect(yesterday.get_by_role("row", name=re.compile("^visits"))).to_contain_text(
            re.compile(r"\d+ to \d+")
        )
        page.get_by_role("region", name="To decide").get_by_role("link", name="Open page").first.click()
        expect(page.get_by_role("complementary", name="Detail")).to_be_visible()
        page.go_back()
        self.answered(page)

    def answered(self, page: Page) -> None:
        """A proposal is put off, another set aside with a reason, and the first is taken back."""
        decide = page.get_by_role("region", name="To decide")
        unused = decide.get_by_role("listitem").filter(has_text="nobody has used it")
        unused.get_by_role("button", name="Remind me in a week").click()
        # Today is computed anew, which takes a while where all else is busy too.
        expect(unused).to_have_count(0)
        # Another proposal may take its place.
        first = decide.get_by_role("listitem").first.get_by_role("paragraph").first.inner_text()
        decide.get_by_role("button", name="Dismiss").first.click()
        page.get_by_label("Why it is not to be proposed again").fill("We keep it for the fair")
        page.get_by_role("dialog", name="Dismiss this").get_by_role("button", name="Dismiss").click()
        expect(decide.get_by_text(first, exact=True)).to_have_count(0)
        told = page.get_by_role("region", name="Answered")
        expect(told.get_by_text("We keep it for the fair")).to_be_visible()
        told.get_by_role("listitem").filter(has_text="put off until").get_by_role("button").click()
        expect(unused).to_have_count(1)

    def test_everything_from_the_keyboard(self) -> None:
        page = self.enter()
        self.go(page, "pages")
        page.keyboard.press("?")
        expect(page.get_by_role("dialog", name="Keyboard shortcuts")).to_be_visible()
        page.keyboard.press("Escape")
        page.keyboard.press("g")
        page.keyboard.press("t")
        expect(page.get_by_role("heading", name="Split tests")).to_be_visible()
        page.keyboard.press("g")
        page.keyboard.press("a")
        table = page.get_by_role("table", name="Landing pages")
        first = table.get_by_role("button", name="/starter-hive").first
        first.focus()
        page.keyboard.press("Enter")
        detail = page.get_by_role("complementary", name="Detail")
        expect(detail).to_be_visible()
        before = detail.get_by_role("heading", level=2).inner_text()
        page.keyboard.press("ArrowDown")
        expect(detail.get_by_role("heading", level=2)).not_to_have_text(before)
        page.keyboard.press("Escape")
        expect(detail).to_be_hidden()

    def test_a_viewer_looks_and_is_offered_no_change(self) -> None:
        page = self.enter(who=2)
        for place, absent in (
            ("conversions", "New conversion"),
            ("spend", "Look at a file"),
            ("tests", "New split test"),
            ("people", "Add"),
        ):
            self.go(page, place)
            expect(page.get_by_role("button", name=absent, exact=True)).to_have_count(0)
        page.goto(f"{self.clabo}/s/999999/pages")
        expect(page.get_by_role("alert")).to_contain_text("you have no access to it")

    def test_the_demo_holds_its_traps(self) -> None:
        """What the scenario promises, told by the screens."""
        page = self.enter()
        self.go(page, "pixel")
        expect(page.get_by_role("row", name="/journal/first-swarm")).to_contain_text("Twice on the page")
        self.assertFalse(Event.objects.filter(page__path="/stockists").exists())
        self.go(page, "spend")
        page.locator("details").evaluate("d => { d.open = true }")
        expect(page.get_by_role("row", name="back-page")).to_be_visible()
        self.assertEqual(Conversion.objects.filter(rule__name="guide_lead").count() > 50, True)
