"""A variant written on the page itself, which is of another origin: pointed at, changed, taken back, kept, shown."""

from __future__ import annotations

from typing import Any

from playwright.sync_api import Page, expect

from clabo.collect.events.models import Event
from clabo.journeys.tests.test_content import OFFER, ContentCase
from clabo.judge.splits import life, services
from clabo.judge.splits.editor.sessions import edit_address
from clabo.judge.splits.models import KeptPicture, SplitTest, Variant
from clabo.judge.splits.tests.test_kept import picture
from clabo.platform.accounts.models import Role
from clabo.testing.traffic import make_user

# A page that draws itself anew, and would go elsewhere at a click.
LIVELY = (
    OFFER
    + """<script>
    const list = document.querySelector("main"), rating = list.querySelector(".rating");
    let stars = 0;
    setInterval(() => { rating.textContent = (++stars % 5) + " stars"; }, 400);
    document.addEventListener("click", () => { location.href = "/elsewhere"; });
    </script>"""
)


class Writing(ContentCase):
    def setUp(self) -> None:
        super().setUp()
        self.person = make_user(self.site, Role.EDITOR, "edits@shop.example")
        self.own.pages["/offer"] = self.held(LIVELY)
        self.own.pages["/elsewhere"] = "elsewhere"

    def draft(self) -> SplitTest:
        address = f"http://{self.own.host}/offer"
        content = services.SplitContent(
            *("Words", self.kit_order, [address], [50, 50], 100, 0.1, 0.5, "content", [[], []])
        )
        made = services.save_test(self.site, content)
        self.renewed()
        return made

    def kept(self, test: SplitTest) -> list[Any]:
        return list(Variant.objects.get(test=test, letter="B").changes)

    def opened(self, test: SplitTest, **options: Any) -> Page:
        page = self.window(**options)
        page.goto(edit_address(test, "B", self.person), wait_until="networkidle")
        expect(page.get_by_role("toolbar", name="Writing a variant")).to_be_visible()
        # What lets somebody write is read by no script of the page.
        self.assertNotIn("clabo=", page.url)
        asked = page.evaluate("performance.getEntriesByType('resource').map((e) => e.name).join(' ')")
        kept = page.evaluate("JSON.stringify([{ ...sessionStorage }, { ...localStorage }, document.cookie])")
        self.assertIn("/edit/open", asked)
        self.assertNotRegex(asked + kept, r"edit-\d|edit/[^od]")
        return page

    def test_from_pointing_at_it_to_a_visitor_who_sees_it(self) -> None:
        test = self.draft()
        page = self.opened(test)
        expect(page.get_by_role("button", name="Save draft")).to_be_disabled()
        page.click("h1")
        page.get_by_label("Text").fill("One hive & <b>you</b>")
        page.get_by_role("button", name="Change text").click()
        self.assertEqual(page.text_content("h1"), "One hive & <b>you</b>")
        page.click("a.cta")
        page.get_by_label("Link", exact=True).fill("/order")
        page.get_by_role("button", name="Change link").click()
        # How something looks; what it would not understand is said.
        page.click("#story")
        page.get_by_role("button", name="Change style").click()
        page.get_by_label("Value").fill("huge and red")
        page.get_by_role("button", name="Change style").click()
        expect(page.get_by_role("status")).to_contain_text("That is no font size")
        page.get_by_label("Value").fill("31px")
        page.get_by_role("button", name="Change style").click()
        self.assertEqual(page.evaluate("getComputedStyle(document.querySelector('#story')).fontSize"), "31px")
        page.get_by_role("button", name="Undo").click()
        # The page is used first, where what is meant has to be opened.
        page.evaluate("story.setAttribute('onclick', 'event.stopPropagation(); this.textContent = `Opened`')")
        page.get_by_role("button", name="Use the page").click()
        page.click("#story")
        self.assertEqual(page.text_content("#story"), "Opened")
        page.get_by_role("button", name="Select elements").click()
        page.click("#price")
        page.get_by_role("button", name="Hide", exact=True).click()
        expect(page.locator("#price")).to_be_hidden()
        page.get_by_role("button", name="Undo").click()
        expect(page.locator("#price")).to_be_visible()
        page.get_by_role("button", name="Redo").click()
        expect(page.locator("#price")).to_be_hidden()
        page.click("h1")
        page.get_by_role("button", name="Add a block").click()
        page.get_by_label("Title").fill("Until Sunday")
        page.get_by_role("button", name="Add", exact=True).click()
        expect(page.locator("[data-clabo-block]")).to_have_text("Until Sunday")
        page.get_by_role("button", name="Changes").click()
        expect(page.get_by_role("listitem")).to_have_count(4)
        page.get_by_role("button", name="Remove").nth(1).click()
        self.assertEqual(page.get_attribute("a.cta", "href"), "/kit")
        page.get_by_role("button", name="Save draft").click()
        expect(page.get_by_role("status")).to_have_text("Saved in the draft.")
        # Each is found again in a second way, where the first finds nothing any more.
        h1 = {"selector": "h1", "fallback": "main > h1:nth-of-type(1)"}
        self.assertEqual(
            self.kept(test),
            [
                {"words": {**h1, "text": "One hive & <b>you</b>"}},
                {"hide": {"selector": "#price", "fallback": "main > p:nth-of-type(2)"}},
                {
                    "block": {
                        **h1,
                        "place": "after",
                        "template": "banner",
                        "title": "Until Sunday",
                    }
                },
            ],
        )
        # The page was never left, and nothing of it was counted.
        self.assertIn("/offer", page.url)
        page.goto("about:blank")
        self.quiet()
        self.assertEqual(Event.objects.count(), 0)
        again = self.opened(test)
        self.assertEqual(again.text_content("h1"), "One hive & <b>you</b>")
        again.goto("about:blank")
        self.own.pages["/offer"] = self.held(OFFER)
        visitor = self.window()
        visitor.goto(self.own.url + "/offer", wait_until="networkidle")
        self.quiet()
        life.start(SplitTest.objects.get(pk=test.pk))
        self.renewed()
        visitor = self.someone(test, "B")
        self.shown_only_as(visitor, "One hive & <b>you</b>")

    def test_a_picture_of_ones_own(self) -> None:
        test = self.draft()
        page = self.opened(test)
        page.locator("#hive").dispatch_event("click")
        file = page.get_by_label("Or upload a picture")
        file.set_input_files({"name": "a.png", "mimeType": "image/png", "buffer": b"no picture"})
        expect(page.get_by_role("status")).to_contain_text("no picture that can be read")
        file.set_input_files({"name": "a.png", "mimeType": "image/png", "buffer": picture()})
        expect(page.get_by_role("status")).to_have_text("Picture uploaded.")
        page.get_by_role("button", name="Change picture").click()
        self.assertIn("/kept/", page.get_attribute("#hive", "src") or "")
        page.get_by_role("button", name="Save draft").click()
        expect(page.get_by_role("status")).to_have_text("Saved in the draft.")
        [change] = self.kept(test)
        self.assertIn(KeptPicture.objects.get().name, change["picture"]["address"])

    def test_on_a_phone_and_where_it_cannot_be_kept(self) -> None:
        test = self.draft()
        page = self.opened(test, viewport={"width": 390, "height": 740})
        page.click("#story")
        page.get_by_label("Text").fill("Shorter")
        page.get_by_role("button", name="Change text").click()
        self.assertEqual(page.text_content("#story"), "Shorter")
        self.assertLessEqual(page.evaluate("document.documentElement.scrollWidth"), 390)
        services.save_test(
            self.site,
            services.SplitContent(
                *("Words", self.kit_order, [f"http://{self.own.host}/offer"], [50, 50], 100, 0.1, 0.5),
                *("content", [[], [{"hide": {"selector": "h1"}}]]),
            ),
            test,
        )
        life.remove(SplitTest.objects.get(pk=test.pk))
        page.get_by_role("button", name="Save draft").click()
        expect(page.get_by_role("status")).to_contain_text("no draft any more")
        # What was written is still there.
        self.assertEqual(page.text_content("#story"), "Shorter")
