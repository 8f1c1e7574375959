"""Signing in and out, invitations, and who keeps the keys."""

from __future__ import annotations

import json
import re
from typing import Any

from django.core import mail
from django.test import Client, TestCase

from clabo.accounts import services
from clabo.accounts.models import Membership, Role, User
from clabo.accounts.problems import Problem
from clabo.testing.traffic import make_site, make_user


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

    def test_nobody_signs_up_alone(self) -> None:
        answer = post(
            Client(),
            "/_allauth/browser/v1/auth/signup",
            {"email": "x@x.example", "password": "long-enough-1"},
        )
        self.assertEqual(answer.status_code, 403)
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


class Members(TestCase):
    def test_an_invitation_lets_a_new_person_choose_a_password(self) -> None:
        site = make_site()
        membership, link = services.add_member(site.workspace, "New@shop.example", "New", Role.EDITOR)
        self.assertIn(link, mail.outbox[0].body)
        key = re.sub(r".*/welcome/", "", link)
        client = Client()
        chosen = post(
            client,
            "/_allauth/browser/v1/auth/password/reset",
            {"key": key, "password": "a-smoker-and-a-veil"},
        )
        self.assertIn(chosen.status_code, (200, 401))  # 401: set, and still to be signed in with
        signed = post(
            client,
            "/_allauth/browser/v1/auth/login",
            {"email": "new@shop.example", "password": "a-smoker-and-a-veil"},
        )
        self.assertEqual(signed.status_code, 200)
        self.assertEqual(client.get("/api/session").json()["workspaces"][0]["role"], membership.role)

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
