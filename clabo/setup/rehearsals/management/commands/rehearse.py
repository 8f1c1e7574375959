"""Runs the stored steps of a site's conversions in headless Chromium, and says what came of each line."""

from __future__ import annotations

import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from playwright.sync_api import Error, sync_playwright

from clabo.core.rules.rehearsal import Step, parse_steps
from clabo.platform.chromium import ARGUMENTS
from clabo.platform.wording import say, say_all
from clabo.setup.conversions.models import ConversionRule
from clabo.setup.rehearsals import services as rehearsing
from clabo.setup.rehearsals.models import Rehearsal
from clabo.setup.sites.models import Site

STEP_MS = 5000
ARRIVE_SECONDS = 10.0


class Command(BaseCommand):
    help = "Rehearse the conversions that have stored steps. Ends with 1 where a line fails or was not tried."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("site", type=int, help="The site's number, as in the address of its screens.")
        parser.add_argument("--rule", help="The name of one conversion; all that have steps otherwise.")

    def handle(self, *args: Any, **options: Any) -> None:
        site = Site.objects.filter(pk=options["site"]).first()
        if site is None:
            raise CommandError(f"There is no site {options['site']}.")
        chosen = ConversionRule.objects.filter(site=site, deleted_at=None, steps__isnull=False)
        if options["rule"]:
            chosen = chosen.filter(name=options["rule"])
        if not chosen:
            raise CommandError("No conversion has stored steps. Write them under Live, Rehearsal.")
        bad = sum(self.one(site, rule) for rule in chosen.order_by("name"))
        if bad:
            raise CommandError(f"{bad} lines failed or were not tried.")

    def one(self, site: Site, rule: ConversionRule) -> int:
        """Rehearse one rule; how many lines did not pass."""
        rehearsal = rehearsing.begin(site, None, rule, by_itself=True)
        trouble = run(site, rehearsal, parse_steps(rehearsing.steps_of(rule)))
        wait_for_hits(rehearsal)
        rehearsing.end(rehearsal)
        bad = 0
        self.stdout.write(f"{rule.name}")
        if trouble:
            self.stdout.write(f"  the steps broke off: {trouble}")
        for checked in rehearsing.lines_so_far(rehearsal):
            for line, came in checked.lines:
                should = "should count" if line.should == "fire" else "should stay silent"
                reason = f": {say_all(came.reasons)}" if came.reasons else ""
                self.stdout.write(f"  {came.status:8} ({should}) {say(line.says)}{reason}")
                bad += came.status != "passed"
        return bad


def run(site: Site, rehearsal: Rehearsal, steps: list[Step]) -> str:
    """Do the steps in a fresh browser; why they broke off, or empty. Only the site's own hosts are opened."""
    hosts = {h.host for h in site.hosts.all()}
    # All that the database knows is asked before: Playwright runs an event loop in this thread, and Django
    # refuses to wait inside one.
    addresses = {s.target: rehearsing.link(site, rehearsal, s.target) for s in steps if s.action == "open"}
    with sync_playwright() as playwright:
        try:
            browser = playwright.chromium.launch(
                executable_path=settings.CLABO_CHROMIUM, args=[*ARGUMENTS, "--no-sandbox"]
            )
        except Error as error:
            raise CommandError(f"Chromium does not start: {error.message.splitlines()[0]}") from None
        try:
            page = browser.new_page()
            page.set_default_timeout(STEP_MS)
            for step in steps:
                _do(page, step, addresses, hosts)
            page.wait_for_timeout(800)
        except (Error, CommandError) as error:
            return str(error).splitlines()[0][:200]
        finally:
            browser.close()
    return ""


def _do(page: Any, step: Step, addresses: dict[str, str], hosts: set[str]) -> None:
    where = page.frame_locator(step.frame) if step.frame else page
    if step.action == "open":
        address = addresses[step.target]
        if address.partition("://")[2].partition("/")[0] not in hosts:
            raise CommandError(f"{step.target} is on none of the site's hosts")
        page.goto(address, wait_until="networkidle")
    elif step.action == "click":
        where.locator(step.target).first.click()
        page.wait_for_timeout(700)
    elif step.action == "fill":
        where.locator(step.target).first.fill(step.text)
    elif step.action == "press":
        page.keyboard.press(step.target)
    else:
        page.wait_for_timeout(min(int(step.target), 30_000))


def wait_for_hits(rehearsal: Rehearsal) -> None:
    """Return once no more hits arrive: the worker may be a moment behind."""
    end, count, since = time.monotonic() + ARRIVE_SECONDS, -1, time.monotonic()
    while time.monotonic() < end and time.monotonic() - since < 2.5:
        now = len(rehearsing.hits_of(rehearsal))
        if now != count:
            count, since = now, time.monotonic()
        time.sleep(0.2)
