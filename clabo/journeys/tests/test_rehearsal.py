"""Rehearsing a form that should count beside one that should not, by hand and by itself; and a bridge link."""

from __future__ import annotations

import os
import subprocess
import sys

from django.conf import settings
from django.db import connection
from playwright.sync_api import expect

from clabo.collect.bridges.services import save_link
from clabo.collect.events.models import Event, Kind, TrafficDay
from clabo.journeys.tests.test_listening import TWO_FORMS, ListeningCase
from clabo.platform.accounts.models import Role
from clabo.setup.conversions import services
from clabo.setup.conversions.models import Conversion, ConversionRule, Credit
from clabo.setup.rehearsals import services as rehearsing
from clabo.testing.traffic import make_user


class Rehearsing(ListeningCase):
    def setUp(self) -> None:
        super().setUp()
        make_user(self.site, Role.EDITOR, "ed@shop.example")
        self.site.hosts.get(host="shop.example").delete()
        self.publish("/contact", TWO_FORMS)
        self.publish("/booked")
        self.publish("/letter")
        # Somebody has been there: both forms are known.
        page = self.open("/contact")
        page.click("text=Send me letters")
        page.wait_for_url("**/letter**")
        page.goto(self.own.url + "/contact")
        page.fill("[name=email]", "a@shop.example")
        page.click("text=Book")
        page.wait_for_url("**/booked**")
        self.assertEqual(len(self.heard(Kind.FORM, least=2)), 2)

    def make(self, language: object) -> ConversionRule:
        content = services.RuleContent("contact_lead", "lead", language, "every", None)  # type: ignore[arg-type]
        return services.make_rule(self.site, content, None)

    def test_by_hand(self) -> None:
        rule = self.make({"form": {"id": "booking"}})
        self.until(lambda: Conversion.objects.count() == 1, "counted back")
        before = list(TrafficDay.objects.values())
        page = self.window()
        self.sign_in(page, "ed@shop.example", "elpmaxe.pohs@de")
        page.goto(f"{self.clabo}/s/{self.site.pk}/live")
        page.get_by_role("tab", name="Rehearsal").click()
        page.get_by_label("Rehearse").select_option(label="contact lead")
        page.get_by_role("button", name="Begin").click()
        half = page.get_by_text("Should stay silent").locator("..")
        expect(half).to_contain_text("Send the form newsletter on the same page")
        with page.context.expect_page() as opened:
            half.get_by_role("link", name="Open").last.click()
        there = opened.value
        there.get_by_text("Rehearsal: what you do in this tab").wait_for()
        there.click("text=Send me letters")
        expect(half).to_contain_text("Send the form newsletter on the same pagepassed")
        there.goto(self.own.url + "/contact")
        there.fill("[name=email]", "a@shop.example")
        there.click("text=Book")
        should = page.get_by_role("heading", name="Should count").locator("..")
        expect(should).to_contain_text("send itpassed")
        expect(page.get_by_text("2 of 3 lines passed, 1 not tried yet.")).to_be_visible()
        page.get_by_role("button", name="End and keep the record").click()
        expect(page.get_by_text("Ended ")).to_be_visible()
        page.get_by_role("button", name="All rehearsals").click()
        expect(page.get_by_role("row", name="contact lead")).to_contain_text("ed")
        # None of it entered a report.
        self.assertEqual(list(TrafficDay.objects.values()), before)
        self.assertEqual(Credit.objects.filter(rule=rule, model="last").count(), 1)

    def rehearsed(self) -> tuple[str, str]:
        """What the command says, and how it ends; run as it is from a shell."""
        db = connection.settings_dict
        environment = {
            **os.environ,
            "DATABASE_URL": f"postgres://{db['USER']}:{db['PASSWORD']}@{db['HOST']}:{db['PORT']}/{db['NAME']}",
        }
        environment.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)
        done = subprocess.run(
            [sys.executable, "manage.py", "rehearse", str(self.site.pk)],
            cwd=settings.BASE_DIR,
            env=environment,
            capture_output=True,
            text=True,
            timeout=90,
            check=False,
        )
        self.assertNotIn("Traceback", done.stderr)
        return done.stdout, done.stderr

    def test_by_itself(self) -> None:
        rule = self.make({"form": {"id": "booking"}})
        self.assertIn("No conversion has stored steps", self.rehearsed()[1])
        steps = (
            "open /contact\nclick text=Book\nclick text=Send me letters\n"
            "open /contact\nfill [name=email] a@shop.example\nclick text=Book\n"
        )
        rehearsing.save_steps(rule, steps)
        told, ended = self.rehearsed()
        self.assertEqual((told.count("passed"), ended), (3, ""), told)
        # A rule that takes too much is found out.
        content = services.RuleContent(
            "contact_lead", "lead", {"any": [{"form": {"id": "booking"}}, {"form": {}}]}, "every", None
        )
        rule = services.change_rule(rule, content, None)
        told, ended = self.rehearsed()
        self.assertIn("failed   (should stay silent) Send the form newsletter", told)
        self.assertIn("failed or were not tried", ended)
        rehearsing.save_steps(rule, "open /contact\nclick text=No such button\n")
        self.assertIn("the steps broke off", self.rehearsed()[0])


class Bridge(ListeningCase):
    def test_a_link_to_somebody_elses_page_keeps_who_and_whence(self) -> None:
        self.frames.pages["/suits"] = "<title>Partner</title>Suits"
        save_link(self.site, "suits", f"{self.frames.url}/suits?shop=1")
        save_link(self.site, "veils", f"{self.frames.url}/suits?veils=1")
        self.renewed()
        self.rule({"step": {"link": "suits"}}, name="partner_visit")
        self.publish("/suits", f"<a href='{self.clabo}/to/{self.site.key}/suits'>Protective suits</a>")
        self.publish("/start", "<a href=/suits>Suits</a>")
        page = self.open("/start?utm_source=meadow&utm_medium=cpc&utm_campaign=gear&sub1=s1")
        page.click("text=Suits")
        page.wait_for_url("**/suits")
        page.click("text=Protective suits")
        page.wait_for_url(f"{self.frames.url}/suits?**")
        self.assertIn("utm_campaign=gear&sub1=s1", page.url)
        self.assertIn("shop=1", page.url)
        self.assertNotIn("clabo", page.url)
        self.until(Conversion.objects.exists, "the step counts")
        credit = Credit.objects.select_related("page", "origin").get(model="last_paid")
        assert credit.page
        self.assertEqual((credit.page.path, credit.origin.campaign), ("/start", "gear"))
        step = Event.objects.select_related("page").get(kind=Kind.STEP)
        self.assertEqual(step.page.path, "/suits")
        # Another link counts its own step only, and one that does not exist leads nowhere.
        page.goto(f"{self.clabo}/to/{self.site.key}/veils")
        page.wait_for_url(f"{self.frames.url}/suits?**veils=1**")
        self.until(lambda: Event.objects.filter(kind=Kind.STEP).count() == 2, "the other step")
        gone = page.goto(f"{self.clabo}/to/{self.site.key}/no-such-link?to={self.frames.url}/suits")
        assert gone
        self.assertEqual((gone.status, Event.objects.filter(kind=Kind.STEP).count()), (404, 2))
        self.assertEqual(Conversion.objects.count(), 1)
