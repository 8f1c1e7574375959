"""How allauth and axes behave here."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from hashlib import sha256
from typing import Any

from allauth.account.adapter import DefaultAccountAdapter
from axes.models import AccessAttempt
from django.core.cache import cache
from django.core.exceptions import ValidationError
from django.db.models import Max, Sum
from django.http import HttpRequest, JsonResponse

from clabo.platform.accounts.models import User

# From so many failures on, wherever they came from, a name is tried once in so many seconds and no oftener.
SLOW_FROM = 20
SLOW_WITHIN = timedelta(minutes=15)
SLOW_TO = timedelta(seconds=5)
# Seconds between two mails with a link to set a password anew.
RESET_EVERY = 300


class AccountAdapter(DefaultAccountAdapter):  # type: ignore[misc]
    """Nobody signs up by themselves: an owner invites people."""

    def is_open_for_signup(self, request: HttpRequest) -> bool:
        return False

    def get_client_ip(self, request: HttpRequest) -> str:
        return address_of(request)

    def send_password_reset_mail(self, user: User, email: str, context: dict[str, Any]) -> None:
        # Whoever asks in somebody's name sends them no more than one mail in a while, and keeps none from them: the
        # link of the last one holds. A limit on asking would let anybody lock anybody out.
        if cache.add(f"reset:{sha256(email.lower().encode()).hexdigest()}", 1, RESET_EVERY):
            super().send_password_reset_mail(user, email, context)

    def pre_authenticate(self, request: HttpRequest, **credentials: Any) -> None:
        super().pre_authenticate(request, **credentials)
        now = datetime.now(UTC)
        tried = AccessAttempt.objects.filter(
            username=name_tried(request, credentials), attempt_time__gt=now - SLOW_WITHIN
        ).aggregate(failures=Sum("failures_since_start"), last=Max("attempt_time"))
        if (tried["failures"] or 0) >= SLOW_FROM and now - tried["last"] < SLOW_TO:
            raise ValidationError(
                "Too many failed sign-ins for this name. Wait 5 seconds, then try again.",
                code="too_many_login_attempts",
            )


def name_tried(request: HttpRequest, credentials: dict[str, Any] | None = None) -> str:
    """The name that somebody tries to sign in with, in one spelling."""
    return str((credentials or {}).get("email") or (credentials or {}).get("username") or "").strip().lower()


def address_of(request: HttpRequest) -> str:
    """Where a request comes from. Proxies' word on it has been weighed by then (platform/config/middleware.py)."""
    return str(request.META.get("REMOTE_ADDR", ""))


def locked_out(request: HttpRequest, credentials: dict[str, Any] | None = None, *args: Any) -> JsonResponse:
    """Answer to a sign-in after too many failures, in the shape of allauth's own errors."""
    message = "Too many failed sign-ins for this name from here. Wait 15 minutes, then try again."
    return JsonResponse({"status": 429, "errors": [{"code": "locked_out", "message": message}]}, status=429)
