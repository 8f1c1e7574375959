"""How allauth and axes behave here."""

from __future__ import annotations

from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from django.http import HttpRequest, JsonResponse


class AccountAdapter(DefaultAccountAdapter):  # type: ignore[misc]
    """Nobody signs up by themselves: an owner adds people."""

    def is_open_for_signup(self, request: HttpRequest) -> bool:
        return False


def locked_out(request: HttpRequest, credentials: dict[str, Any] | None = None, *args: Any) -> JsonResponse:
    """Answer to a sign-in after too many failures, in the shape of allauth's own errors."""
    message = "Too many failed sign-ins for this address. Wait 15 minutes, then try again."
    return JsonResponse({"status": 429, "errors": [{"code": "locked_out", "message": message}]}, status=429)
