"""Whatever goes wrong is said in one form, and every route that answers is one that the interface uses."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client, TestCase
from django.urls import URLPattern, URLResolver, get_resolver

from clabo.platform.accounts.models import Role
from clabo.testing.traffic import make_site, make_user

BACKEND = "allauth.account.auth_backends.AuthenticationBackend"
# What answers besides the API's own routes (EveryRoute walks those).
ROUTES = {
    "_allauth/browser/v1/auth/login",
    "_allauth/browser/v1/auth/session",
    "_allauth/browser/v1/auth/password/request",
    "_allauth/browser/v1/auth/password/reset",
    "_allauth/browser/v1/auth/sessions",
    "_allauth/browser/v1/account/password/change",
    r"^(?:sign-in|forgotten|setup|new-site)?$",
    r"^(?:welcome|join|kit|unsubscribe)/[^/]+$",
    r"^shared/[^/]+$",
    "look/<str:token>.json",
    "edit/open",
    "edit/draft",
    "edit/picture",
    "kept/<str:name>.webp",
    "in/<str:key>/<str:visitor>.json",
    "same/<str:key>/<str:visitor>.json",
    r"^s/\d+(?:/(?:today|pixel|conversions|live|spend|pages|tests|people|work|audiences|paths|sources|ways|forms|worst|views|plans|account|alerts|deleted)(?:/(?:\d+|new))?)?$",
}


def _routes(patterns: Any, before: str = "") -> list[str]:
    found = []
    for each in patterns:
        path = before + str(each.pattern)
        if isinstance(each, URLResolver):
            found += _routes(each.url_patterns, path)
        elif isinstance(each, URLPattern):
            found.append(path)
    return found


class Answers(TestCase):
    def setUp(self) -> None:
        self.site = make_site()
        self.client = Client()
        self.client.force_login(make_user(self.site, Role.OWNER, "owner@shop.example"), backend=BACKEND)
        self.api = f"/api/sites/{self.site.pk}"

    def test_no_route_answers_that_nobody_uses(self) -> None:
        found = {r for r in _routes(get_resolver().url_patterns) if not r.startswith("api/")}
        self.assertEqual(found, ROUTES)

    def problem(self, answer: Any, status: int) -> dict[str, Any]:
        self.assertEqual((answer.status_code, answer["content-type"]), (status, "application/problem+json"))
        body: dict[str, Any] = answer.json()
        self.assertEqual(body["status"], status)
        return body

    def test_unknown_addresses_ids_and_bodies(self) -> None:
        for path in ("/api/nothing", "/api/sites/99999999999999999999", "/api/sites/x", "/api/sites/0/pixel"):
            self.problem(self.client.get(path), 404)
        self.assertEqual(self.client.get("/nothing/here").status_code, 404)
        self.assertEqual(self.client.get("/").status_code, 200)
        post = lambda body: self.client.post(f"{self.api}/conversions", body, "application/json")  # noqa: E731
        for body in ("{", "not", "[" * 100_000, b"\xff\xfe", '{"name": "\\ud800"}'):
            self.problem(post(body), 400)
        for name in ("a\\u0000b", "\\u0000"):
            self.problem(post(f'{{"name": "{name}"}}'), 422)

    def test_nul_anywhere_in_an_address(self) -> None:
        for path in (
            "/api/kit/a%00b",
            f"{self.api}/pixel?search=%00",
            f"{self.api}/coverage?state=%00",
            "/s/%00",
        ):
            self.problem(self.client.get(path), 400)

    def test_a_forged_form_and_a_stranger(self) -> None:
        strict = Client(enforce_csrf_checks=True)
        strict.cookies = self.client.cookies
        self.problem(strict.patch(self.api, json.dumps({"name": "x"}), "application/json"), 403)
        self.problem(Client(enforce_csrf_checks=True).patch(self.api, "{}", "application/json"), 401)
