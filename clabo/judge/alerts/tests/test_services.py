"""Who is told of what, once; and what a receiver gets, whatever it answers."""

from __future__ import annotations

import doctest
import json
from datetime import UTC, datetime, timedelta
from typing import Any
from unittest.mock import patch

from django.core import mail
from django.test import TestCase

from clabo.collect.events.models import Page
from clabo.judge.alerts import services, webhook
from clabo.judge.alerts.causes import KINDS, Cause, causes
from clabo.judge.alerts.models import Alert, AlertMessage, AlertRecipient
from clabo.judge.alerts.services import PAUSES, deliver, due, look, save_recipient
from clabo.judge.alerts.webhook import NotTaken, signature
from clabo.platform.jobs.tasks import mail as mail_job
from clabo.platform.problems import Problem
from clabo.platform.wording.alerts import said
from clabo.setup.sites.models import Site
from clabo.testing.traffic import START, event, hit, make_site, receive
from clabo.testing.traffic import beacon as body_of

NOW = datetime(2026, 10, 5, 10, tzinfo=UTC)
BROKEN = Cause("test_broken", "1", "The split test Hero is broken.", "tests/1")
OVER = Cause("spend_over", "2", "The month will end above its budget: all spend.", "spend")


def resend(now: datetime) -> None:
    """What the worker does with messages that are due; a second worker at the same time does nothing."""
    for _, message in due(now):
        deliver(message, now)
        deliver(message, now)


class AlertCase(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.sent: list[tuple[str, str, str, Any]] = []
        self.answers: list[str] = []
        self.found: list[Cause] = [BROKEN]
        for where, instead in (
            ("clabo.judge.alerts.services.causes", lambda site, now: list(self.found)),
            ("clabo.judge.alerts.webhook.send", self.receive),
            ("clabo.judge.alerts.webhook.public_address", lambda *of: "192.0.2.1"),
        ):
            patched = patch(where, instead)
            patched.start()
            self.addCleanup(patched.stop)
        later = patch.object(mail_job, "later", lambda **said: mail_job.now(**said))
        later.start()
        self.addCleanup(later.stop)

    def receive(self, url: str, secret: str, key: str, told: Any) -> None:
        self.sent.append((url, secret, key, told))
        if self.answers and (why := self.answers.pop(0)):
            raise NotTaken(why)

    def at(self, minutes: float, site: Site | None = None) -> None:
        now = NOW + timedelta(minutes=minutes)
        look(site or self.site, now)
        resend(now)

    def hook(self, when: str = "at_once", kinds: Any = KINDS) -> AlertRecipient:
        return save_recipient(self.site, "webhook", "https://hooks.example/in?x=1", when, kinds, None)


class Told(AlertCase):
    def test_once_until_it_is_over_and_comes_again(self) -> None:
        self.hook()
        for minute in range(5):
            self.at(minute)
        self.assertEqual(len(self.sent), 1)
        self.found = [BROKEN, OVER]
        self.at(5)
        self.assertEqual([a["kind"] for a in self.sent[1][3]["alerts"]], ["spend_over"])
        # Gone for a moment is not over.
        self.found = [OVER]
        self.at(10)
        self.found = [BROKEN, OVER]
        self.at(20)
        self.assertEqual(len(self.sent), 2)
        self.found = [OVER]
        for minute in range(25, 65, 5):
            self.at(minute)
        self.found = [BROKEN, OVER]
        self.at(70)
        self.assertEqual([a["key"] for a in self.sent[2][3]["alerts"]], ["1"])
        self.assertEqual(Alert.objects.filter(kind="test_broken").count(), 2)

    def test_only_of_what_was_chosen(self) -> None:
        self.hook(kinds=["spend_over"])
        self.at(0)
        self.assertEqual(self.sent, [])
        self.found = [OVER]
        self.at(1)
        self.assertEqual(len(self.sent), 1)

    def test_hourly_and_in_the_morning(self) -> None:
        self.hook("hourly")
        save_recipient(self.site, "mail", "Ada@Shop.example", "morning", KINDS, None)
        # It is noon in Vienna: what stands is told of today, what comes after it tomorrow.
        self.at(0)
        self.found = [BROKEN, OVER]
        for minute in (1, 30, 59):
            self.at(minute)
        self.assertEqual(len(self.sent), 1)
        self.at(60)
        self.assertEqual(len(self.sent), 2)
        self.assertEqual([m.to for m in mail.outbox], [["ada@shop.example"]])
        self.at(18 * 60 + 59)  # 06:59
        self.assertEqual(len(mail.outbox), 1)
        self.at(19 * 60)
        self.assertEqual(len(mail.outbox), 2)
        self.assertIn("above its budget", mail.outbox[1].body)
        self.assertIn(f"/s/{self.site.pk}/spend", mail.outbox[1].body)
        self.assertNotIn("Hero", mail.outbox[1].body)

    def test_a_webhook_is_tried_again_with_pauses_and_then_given_up(self) -> None:
        self.hook()
        self.answers = ["It answered 503."] * 99
        self.at(0)
        message, at = AlertMessage.objects.get(), NOW
        for n, pause in enumerate(PAUSES, 1):
            message.refresh_from_db()
            self.assertEqual((message.state, message.tries, message.next_at), ("waiting", n, at + pause))
            resend(at + pause - timedelta(seconds=1))
            at += pause
            resend(at)
        message.refresh_from_db()
        self.assertEqual((message.state, message.tries), ("failed", len(PAUSES) + 1))
        resend(at + timedelta(days=9))
        self.assertEqual(len(self.sent), len(PAUSES) + 1)
        # Each try is the same message to whoever counts them.
        self.assertEqual(len({key for _, _, key, _ in self.sent}), 1)

    def test_whoever_is_deleted_gets_nothing_more(self) -> None:
        recipient = self.hook()
        self.answers = ["It could not be reached."]
        self.at(0)
        services.delete(recipient, NOW)
        resend(NOW + timedelta(hours=1))
        self.found = [OVER]
        self.at(61)
        self.assertEqual(len(self.sent), 1)

    def test_a_trial_says_that_it_is_one(self) -> None:
        recipient = self.hook()
        self.answers = ["It answered 404."]
        failed = services.try_out(recipient, NOW)
        self.assertEqual((failed.state, failed.failure), ("failed", "It answered 404."))
        self.assertEqual((self.sent[0][3]["test"], self.sent[0][3]["alerts"]), (True, []))
        services.try_out(save_recipient(self.site, "mail", "a@b.example", "hourly", KINDS, None), NOW)
        self.assertIn("This is a trial.", mail.outbox[0].body)

    def test_bad_recipients_are_refused_with_the_field(self) -> None:
        self.hook()
        for by, to, kinds, field in (
            ("mail", "ada", KINDS, "to"),
            ("webhook", "http://hooks.example/", KINDS, "to"),
            ("webhook", "https://a:b@hooks.example/", KINDS, "to"),
            ("webhook", "https://hooks.example/in?x=1", KINDS, "to"),
            ("mail", "ada@shop.example", [], "kinds"),
        ):
            with self.subTest(to), self.assertRaises(Problem) as caught:
                save_recipient(self.site, by, to, "at_once", kinds, None)
            self.assertEqual(caught.exception.field, field)


class Hooks(TestCase):
    def test_a_receiver_can_tell_who_sent_it(self) -> None:
        self.assertFalse(doctest.testmod(webhook).failed)
        body = json.dumps({"a": 1}).encode()
        self.assertNotEqual(signature("k", "1", body), signature("k", "2", body))
        self.assertNotEqual(signature("k", "1", body), signature("l", "1", body))

    def test_no_message_goes_into_a_private_network(self) -> None:
        for url in (
            "https://127.0.0.1/",
            "https://[::1]/",
            "https://10.0.0.1:8443/x",
            "https://169.254.169.254/",
        ):
            with self.subTest(url):
                with self.assertRaises(Problem):
                    webhook.checked(url)
                with self.assertRaises(NotTaken):
                    webhook.send(url, "k", "m", {})


class Causes(TestCase):
    def test_a_silent_page_and_a_silent_site_are_causes(self) -> None:
        site = make_site()
        receive([hit(site, START, body_of(1, event("/a"))), hit(site, NOW, body_of(2, event("/b")))])
        self.assertEqual(causes(site, NOW), [])
        Page.objects.filter(site=site, path="/a").update(stopped_at=START)
        found = causes(site, NOW)
        self.assertEqual(
            [(c.kind, c.says) for c in found], [("page_silent", "No hit comes from /a any more.")]
        )
        Page.objects.filter(site=site).update(stopped_at=NOW)
        self.assertEqual([c.kind for c in causes(site, NOW)], ["site_silent"])

    def test_every_kind_has_words(self) -> None:
        params = {"path": "/a", "name": "X", "host": "h", "day": NOW.date()}
        own = {"test_decided": {"verdict": "adopt"}, "perhaps_forged": {"what": "pages"}}
        for kind in KINDS:
            self.assertTrue(said(kind, **params, **own.get(kind, {})).endswith("."))
