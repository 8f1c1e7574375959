"""One's own account: its name, its password, and the devices it is signed in on."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client, TestCase

from clabo.platform.accounts.models import Role, User
from clabo.testing.traffic import make_site, make_user

PASSWORD = "bees-and-blossoms"


class Account(TestCase):
    def setUp(self) -> None:
        self.user = make_user(make_site(), Role.VIEWER, "ada@shop.example")
        self.user.set_password(PASSWORD)
        self.user.save()
        self.here, self.there = self.signed_in(), self.signed_in("Mozilla/5.0 (iPhone) Safari/605")

    def signed_in(self, agent: str = "Mozilla/5.0 (X11; Linux) Firefox/140") -> Client:
        client = Client(headers={"user-agent": agent})
        said = {"email": self.user.email, "password": PASSWORD}
        answer = self.ask(client, "POST", "/_allauth/browser/v1/auth/login", said)
        self.assertEqual(answer.status_code, 200, answer.content)
        return client

    @staticmethod
    def ask(client: Client, method: str, path: str, body: Any = None) -> Any:
        return client.generic(method, path, json.dumps(body) if body else "", "application/json")

    def is_in(self, client: Client) -> bool:
        return bool(client.get("/api/session").json()["email"])

    def test_a_name(self) -> None:
        self.assertEqual(self.ask(self.here, "PATCH", "/api/account", {"name": " Ada L. "}).status_code, 200)
        self.assertEqual(self.there.get("/api/session").json()["name"], "Ada L.")
        refused = self.ask(self.here, "PATCH", "/api/account", {"name": "  "})
        self.assertEqual((refused.status_code, refused.json()["field"]), (422, "name"))
        self.assertEqual(self.ask(Client(), "PATCH", "/api/account", {"name": "Eve"}).status_code, 401)

    def test_a_new_password_signs_the_other_devices_out(self) -> None:
        path = "/_allauth/browser/v1/account/password/change"
        wrong = {"current_password": "something else", "new_password": "honey-in-the-comb"}
        self.assertEqual(
            self.ask(self.here, "POST", path, wrong).json()["errors"][0]["param"], "current_password"
        )
        short = {"current_password": PASSWORD, "new_password": "short"}
        self.assertEqual(
            self.ask(self.here, "POST", path, short).json()["errors"][0]["param"], "new_password"
        )
        right = {"current_password": PASSWORD, "new_password": "honey-in-the-comb"}
        self.assertEqual(self.ask(self.here, "POST", path, right).status_code, 200)
        self.assertEqual((self.is_in(self.here), self.is_in(self.there)), (True, False))
        self.assertTrue(User.objects.get(pk=self.user.pk).check_password("honey-in-the-comb"))

    def test_devices(self) -> None:
        path = "/_allauth/browser/v1/auth/sessions"
        listed = self.ask(self.here, "GET", path).json()["data"]
        self.assertEqual([s["is_current"] for s in sorted(listed, key=lambda s: s["id"])], [True, False])
        other = next(s["id"] for s in listed if not s["is_current"])
        stranger = make_user(make_site(name="Other"), Role.OWNER, "eve@other.example")
        eve = Client()
        eve.force_login(stranger, backend="allauth.account.auth_backends.AuthenticationBackend")
        self.ask(eve, "DELETE", path, {"sessions": [other]})
        self.assertTrue(self.is_in(self.there))
        self.assertEqual(self.ask(self.here, "DELETE", path, {"sessions": [other]}).status_code, 200)
        self.assertEqual((self.is_in(self.here), self.is_in(self.there)), (True, False))
