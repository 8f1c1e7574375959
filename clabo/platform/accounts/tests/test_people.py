"""Signing in and out, invitations, and who keeps the keys."""

from __future__ import annotations

import json
import re
from datetime import timedelta
from typing import Any
from unittest.mock import patch

from allauth.account.models import EmailAddress
from django.core import mail
from django.core.cache import cache
from django.test import Client, TestCase

from clabo.platform.accounts import services
from clabo.platform.accounts.adapter import SLOW_FROM
from clabo.platform.accounts.models import Membership, Role, User
from clabo.platform.problems import Problem
from clabo.testing.jobs import run_jobs
from clabo.testing.traffic import make_site, make_user

BACKEND = "allauth.account.auth_backends.AuthenticationBackend"


def post(client: Client, path: str, body: dict[str, Any]) -> Any:
    return client.post(path, json.dumps(body), "application/json")


class SigningIn(TestCase):
    def test_in_out_and_locked_after_too_many_failures(self) -> None:
        make_user(make_site(), Role.VIEWER, "vera@shop.example")
        client = Client()
        login, good = "/_allauth/browser/v1/auth/login", "elpmaxe.pohs@arev"
        self.assertEqual(
            post(client, login, {"email": "Vera@shop.example", "password": good}).status_code, 200
        )
        self.assertEqual(client.get("/api/session").json()["email"], "vera@shop.example")
        client.delete("/_allauth/browser/v1/auth/session")
        self.assertIsNone(client.get("/api/session").json()["email"])
        for _ in range(8):
            post(client, login, {"email": "vera@shop.example", "password": "wrong"})
        locked = post(client, login, {"email": "vera@shop.example", "password": good})
        self.assertEqual(locked.status_code, 429)
        self.assertIn("Wait 15 minutes", locked.json()["errors"][0]["message"])
        # From elsewhere, and for others from here, the door is open.
        elsewhere = Client(REMOTE_ADDR="198.51.100.7")
        self.assertEqual(
            post(elsewhere, login, {"email": "vera@shop.example", "password": good}).status_code, 200
        )
        make_user(make_site(), Role.VIEWER, "otto@shop.example")
        otto = {"email": "otto@shop.example", "password": "elpmaxe.pohs@otto"}
        self.assertEqual(post(Client(), login, otto).status_code, 200)

    def test_a_name_tried_from_everywhere_is_slowed(self) -> None:
        make_user(make_site(), Role.VIEWER, "vera@shop.example")
        login = "/_allauth/browser/v1/auth/login"
        for number in range(SLOW_FROM):
            client = Client(REMOTE_ADDR=f"198.51.100.{number // 4}")
            post(client, login, {"email": "VERA@shop.example", "password": "wrong"})
        good = {"email": "vera@shop.example", "password": "elpmaxe.pohs@arev"}
        slowed = post(Client(REMOTE_ADDR="203.0.113.9"), login, good)
        self.assertEqual(
            (slowed.status_code, slowed.json()["errors"][0]["code"]), (400, "too_many_login_attempts")
        )
        with patch("clabo.platform.accounts.adapter.SLOW_TO", timedelta(0)):
            self.assertEqual(post(Client(REMOTE_ADDR="203.0.113.9"), login, good).status_code, 200)

    def test_asking_in_somebodys_name_keeps_no_mail_from_them_and_sends_them_few(self) -> None:
        cache.clear()
        make_user(make_site(), Role.VIEWER, "vera@shop.example")
        ask = "/_allauth/browser/v1/auth/password/request"
        strangers = [
            post(Client(REMOTE_ADDR=f"203.0.113.{n}"), ask, {"email": "Vera@shop.example"}) for n in range(9)
        ]
        self.assertEqual(({a.status_code for a in strangers}, len(mail.outbox)), ({200}, 1))
        # A while later they ask themselves, whatever others have done.
        with patch("clabo.platform.accounts.adapter.cache.add", return_value=True):
            self.assertEqual(post(Client(), ask, {"email": "vera@shop.example"}).status_code, 200)
        self.assertEqual(len(mail.outbox), 2)
        codes = [post(Client(), ask, {"email": "vera@shop.example"}).status_code for _ in range(21)]
        self.assertEqual((codes[0], codes[-1]), (200, 429))
        cache.clear()

    def test_nobody_signs_up_alone(self) -> None:
        answer = post(
            Client(),
            "/_allauth/browser/v1/auth/signup",
            {"email": "x@x.example", "password": "long-enough-1"},
        )
        self.assertEqual(answer.status_code, 404)
        self.assertFalse(User.objects.exists())


class FirstAccount(TestCase):
    def body(self, **more: str) -> dict[str, str]:
        return {
            "token": services.setup_token(),
            "name": "Ines",
            "email": "ines@shop.example",
            "password": "smoke-and-honey",
            "workspace": "W",
            **more,
        }

    def test_once_and_only_with_the_token(self) -> None:
        client = Client()
        for wrong, field in (
            ({"token": "x"}, "token"),
            ({"password": "short"}, "password"),
            ({"email": "x"}, "email"),
        ):
            answer = post(client, "/api/setup", self.body(**wrong))
            self.assertEqual(answer.json()["field"], field)
        self.assertFalse(User.objects.exists())
        self.assertEqual(post(client, "/api/setup", self.body()).status_code, 200)
        self.assertEqual(client.get("/api/session").json()["workspaces"][0]["role"], "owner")
        again = post(Client(), "/api/setup", self.body(email="eve@shop.example"))
        self.assertEqual(again.status_code, 409)
        self.assertEqual(User.objects.count(), 1)


class Invitations(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.owner = make_user(self.site, Role.OWNER, "owner@shop.example")

    def invited(self, email: str, site: Any = None) -> str:
        """The token that is mailed to an address."""
        services.invite((site or self.site).workspace, email, "New", Role.EDITOR, self.owner)
        run_jobs()
        self.assertEqual(mail.outbox[-1].to, [email.lower()])
        found = re.search(r"/join/(\S+)", mail.outbox[-1].body)
        assert found
        return found[1]

    def test_a_new_person_chooses_a_password_and_is_in(self) -> None:
        token, client = self.invited("New@shop.example"), Client()
        offer = client.get(f"/api/invitations/{token}").json()
        self.assertEqual((offer["email"], offer["has_account"]), ("new@shop.example", False))
        short = post(client, f"/api/invitations/{token}/take", {"password": "short"})
        self.assertEqual((short.status_code, short.json()["field"]), (422, "password"))
        taken = post(client, f"/api/invitations/{token}/take", {"password": "a-smoker-and-a-veil"})
        self.assertEqual(taken.json()["workspaces"][0]["role"], "editor")
        again = post(Client(), f"/api/invitations/{token}/take", {"password": "a-smoker-and-a-veil"})
        self.assertEqual(again.status_code, 404)

    def test_whoever_has_an_account_signs_in_as_the_invited_address(self) -> None:
        other = make_site()
        make_user(other, Role.VIEWER, "vera@shop.example")
        token = self.invited("vera@shop.example")
        answer = post(Client(), f"/api/invitations/{token}/take", {"password": "a-new-one-for-vera"})
        self.assertEqual(answer.status_code, 401)
        wrong = Client()
        wrong.force_login(make_user(other, Role.VIEWER, "eve@shop.example"), backend=BACKEND)
        self.assertEqual(post(wrong, f"/api/invitations/{token}/take", {}).status_code, 403)
        vera = User.objects.get(email="vera@shop.example")
        right = Client()
        right.force_login(vera, backend=BACKEND)
        EmailAddress.objects.filter(user=vera).update(verified=False)
        self.assertEqual(post(right, f"/api/invitations/{token}/take", {}).status_code, 403)
        EmailAddress.objects.filter(user=vera).update(verified=True)
        self.assertEqual(len(post(right, f"/api/invitations/{token}/take", {}).json()["workspaces"]), 2)

    def test_a_stranger_cannot_take_what_was_offered_to_somebody_else(self) -> None:
        """A person with an account gives theirs a stranger's address, by whatever route there is, and is invited as them."""
        eve = make_user(make_site(), Role.OWNER, "eve@elsewhere.example")
        client = Client()
        client.force_login(eve, backend=BACKEND)
        for path in ("/accounts/email/", "/_allauth/browser/v1/account/email", "/accounts/signup/"):
            self.assertEqual(client.post(path, {"email": "boss@shop.example"}).status_code, 404, path)
        EmailAddress.objects.create(user=eve, email="boss@shop.example", verified=False)
        token = self.invited("boss@shop.example")
        self.assertEqual(post(client, f"/api/invitations/{token}/take", {}).status_code, 403)
        self.assertFalse(Membership.objects.filter(workspace=self.site.workspace, user=eve).exists())

    def test_two_invitations_of_one_address_are_two(self) -> None:
        first, other = self.invited("new@shop.example"), make_site()
        make_user(other, Role.OWNER, "boss@elsewhere.example")
        second = self.invited("new@shop.example", other)
        client = Client()
        taken = post(client, f"/api/invitations/{first}/take", {"password": "a-smoker-and-a-veil"})
        self.assertEqual([w["id"] for w in taken.json()["workspaces"]], [self.site.workspace_id])
        # The other one is still to be taken, by its own token.
        self.assertEqual(len(post(client, f"/api/invitations/{second}/take", {}).json()["workspaces"]), 2)

    def test_a_newer_mail_and_taking_back_end_the_older_one(self) -> None:
        old = self.invited("new@shop.example")
        new = self.invited("new@shop.example")
        self.assertEqual(Client().get(f"/api/invitations/{old}").status_code, 404)
        services.take_back(self.site.workspace, services.open_invitations(self.site.workspace)[0].pk)
        self.assertEqual(Client().get(f"/api/invitations/{new}").status_code, 404)


class Members(TestCase):
    def test_the_last_owner_stays(self) -> None:
        site = make_site()
        owner = make_user(site, Role.OWNER, "owner@shop.example")
        for role in (Role.VIEWER, None):
            with self.assertRaises(Problem) as caught:
                services.change_role(site.workspace, owner.pk, role)
            self.assertEqual(caught.exception.status, 409)
        second = make_user(site, Role.OWNER, "second@shop.example")
        services.change_role(site.workspace, owner.pk, None)
        self.assertEqual(Membership.objects.get(workspace=site.workspace).user, second)
