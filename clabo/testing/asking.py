"""Asks the API as a member of a site's workspace would."""

from __future__ import annotations

import json
from typing import Any

from django.test import Client

from clabo.platform.accounts.models import Role
from clabo.setup.sites.models import Site
from clabo.testing.traffic import make_user


class Member:
    """A signed-in editor; paths are below the site's own."""

    def __init__(self, site: Site, role: Role = Role.EDITOR) -> None:
        self.client = Client()
        self.base = f"/api/sites/{site.pk}"
        user = make_user(site, role, f"{role.value}-{site.pk}@shop.example")
        self.client.force_login(user, backend="allauth.account.auth_backends.AuthenticationBackend")

    def ask(self, method: str, path: str, body: Any = None, status: int = 200) -> Any:
        """The answer's content, which must be strict JSON; AssertionError when the status is another."""
        data = "" if body is None else json.dumps(body)
        answer = self.client.generic(method, self.base + path, data, "application/json")
        assert answer.status_code == status, (answer.status_code, answer.content)
        return self.read(answer)

    @staticmethod
    def read(answer: Any) -> Any:
        """The JSON of an answer. NaN and infinities, which JSON does not have, are refused."""

        def forbidden(text: str) -> float:
            raise AssertionError(f"{text} is not JSON")

        return json.loads(answer.content, parse_constant=forbidden) if answer.content else None
