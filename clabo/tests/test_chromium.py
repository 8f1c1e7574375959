"""Chromium as it is started here: nothing of its own runs beside the pages, and nothing of Playwright's list is lost."""

from __future__ import annotations

from unittest import TestCase

from playwright.sync_api import CDPSession, sync_playwright

from clabo.platform.chromium import ARGUMENTS


class Started(TestCase):
    def session(self, *args: str) -> CDPSession:
        playwright = sync_playwright().start()
        self.addCleanup(playwright.stop)
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", *args]
        )
        self.addCleanup(browser.close)
        browser.new_context().new_page().set_content("<p>A page</p>")
        return browser.new_browser_cdp_session()

    def left_out(self, session: CDPSession) -> set[str]:
        """The features that are off: of several lists the last is what holds."""
        command = session.send("SystemInfo.getInfo")["commandLine"].split()
        lists = [a.partition("=")[2] for a in command if a.startswith("--disable-features=")]
        return set(lists[-1].split(","))

    def test_no_page_of_its_own_runs_beside_a_page(self) -> None:
        session = self.session(*ARGUMENTS)
        found = session.send("Target.getTargets", {"filter": [{"exclude": False}]})["targetInfos"]
        self.assertEqual([t["url"] for t in found if t["type"] not in ("page", "tab")], [])
        self.assertTrue(any(t["type"] == "page" for t in found))

    def test_what_playwright_leaves_out_is_left_out(self) -> None:
        ours = self.left_out(self.session(*ARGUMENTS))
        self.doCleanups()
        theirs = self.left_out(self.session())
        # Of other systems and of other browsers.
        here = {name for name in theirs if name[0].isupper() and not name.endswith("Win")}
        self.assertTrue(here)
        self.assertEqual(here - ours, set())
