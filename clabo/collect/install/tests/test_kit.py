"""The kit that leads to a tag on the page."""

from __future__ import annotations

from datetime import UTC, datetime

from django.core import mail
from django.test import TestCase, override_settings

from clabo.collect.install import kit
from clabo.collect.install.models import KitLink
from clabo.platform.accounts.models import Role
from clabo.platform.problems import Problem
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import make_site, make_user, receive, walk


@override_settings(EMAIL_BACKEND="django.core.mail.backends.locmem.EmailBackend")
class Kit(TestCase):
    def setUp(self) -> None:
        self.site = make_site(name="Shop\r\nBcc: all@shop.example")
        self.user = make_user(self.site, Role.EDITOR, "ed@shop.example")

    def test_a_developer_gets_a_mail_and_a_page_that_ends(self) -> None:
        link = kit.share_kit(self.site, self.user, "dev@shop.example", "Please by Friday")
        run_jobs()
        [sent] = mail.outbox
        self.assertEqual((sent.to, "\n" in sent.subject), (["dev@shop.example"], False))
        self.assertIn(f"/kit/{link.token}", sent.body)
        open_to_all = self.client.get(f"/api/kit/{link.token}")
        told = open_to_all.json()
        self.assertEqual((told["first_at"], told["note"]), (None, "Please by Friday"))
        self.assertIn(self.site.key, told["pieces"][0]["lines"][0])
        receive(walk(self.site, 1, datetime.now(UTC), "/a"))
        self.assertTrue(self.client.get(f"/api/kit/{link.token}").json()["first_at"])
        KitLink.objects.update(expires_at=datetime.now(UTC))
        self.assertEqual(self.client.get(f"/api/kit/{link.token}").status_code, 404)
        self.assertEqual(self.client.get("/api/kit/guessed").status_code, 404)

    def test_no_address_no_mail(self) -> None:
        kit.share_kit(self.site, self.user)
        with self.assertRaises(Problem) as caught:
            kit.share_kit(self.site, self.user, "dev@@shop")
        self.assertEqual((caught.exception.field, mail.outbox), ("email", []))
