"""Who is signed in, for what answers in front of Django."""

from __future__ import annotations

from collections.abc import MutableMapping
from io import BytesIO
from typing import Any, cast

from django.contrib.auth import get_user
from django.contrib.sessions.middleware import SessionMiddleware
from django.core.handlers.asgi import ASGIRequest
from django.db import DatabaseError, InterfaceError, connection
from django.http import HttpResponse

from clabo.platform.accounts.models import User


def session_request(scope: MutableMapping[str, Any]) -> ASGIRequest | None:
    """The request of an ASGI scope with its signed-in user; None where nobody is. Raises the database's errors."""
    request = ASGIRequest(scope, BytesIO())
    try:
        SessionMiddleware(lambda r: HttpResponse()).process_request(request)
        user = get_user(request)
    except (DatabaseError, InterfaceError):
        connection.close()
        raise
    if not user.is_authenticated:
        return None
    request.user = user
    return request


def session_user(scope: MutableMapping[str, Any]) -> User | None:
    """Who is signed in."""
    request = session_request(scope)
    return cast(User, request.user) if request else None
