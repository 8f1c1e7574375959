"""Addresses: the API, sign-in, and the interface for everything else."""

from __future__ import annotations

from allauth.headless.account import views
from allauth.headless.constants import Client
from allauth.headless.usersessions.views import SessionsView
from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.urls import include, path, re_path
from django.views.decorators.csrf import ensure_csrf_cookie

from clabo.judge.splits.editor.images import serve_image
from clabo.judge.splits.editor.preview_links import look
from clabo.judge.splits.editor.sessions import edit_draft, edit_open, edit_picture
from clabo.judge.splits.targeting_endpoint import entering, same
from clabo.platform.config.api import api


@ensure_csrf_cookie
def interface(request: HttpRequest) -> HttpResponse:
    """The single page that the interface runs in."""
    response = HttpResponse(settings.CLABO_APP_HTML.read_bytes())
    response["cache-control"] = "no-cache"
    return response


def unlisted(request: HttpRequest) -> HttpResponse:
    """The same for an address that no search engine is to know."""
    response = interface(request)
    response["x-robots-tag"] = "noindex, nofollow"
    response["referrer-policy"] = "no-referrer"
    return response


urlpatterns = [
    path("api/", api.urls),
    # Of the many routes that allauth has, those that the interface uses.
    path(
        "_allauth/browser/v1/auth/",
        include(
            [
                path("login", views.LoginView.as_api_view(client=Client.BROWSER)),
                path("session", views.SessionView.as_api_view(client=Client.BROWSER)),
                path("password/request", views.RequestPasswordResetView.as_api_view(client=Client.BROWSER)),
                path("password/reset", views.ResetPasswordView.as_api_view(client=Client.BROWSER)),
                path("sessions", SessionsView.as_api_view(client=Client.BROWSER)),
            ]
        ),
    ),
    path(
        "_allauth/browser/v1/account/password/change",
        views.ChangePasswordView.as_api_view(client=Client.BROWSER),
    ),
    path("look/<str:token>.json", look),
    path("edit/open", edit_open),
    path("edit/draft", edit_draft),
    path("edit/picture", edit_picture),
    path("kept/<str:name>.webp", serve_image),
    path("in/<str:key>/<str:visitor>.json", entering),
    path("same/<str:key>/<str:visitor>.json", same),
    # The interface's own addresses (web/src/app/router.tsx); everything else is not there.
    re_path(r"^(?:sign-in|forgotten|setup|new-site)?$", interface),
    re_path(r"^(?:welcome|join|kit|unsubscribe)/[^/]+$", interface),
    re_path(r"^shared/[^/]+$", unlisted),
    re_path(
        r"^s/\d+(?:/(?:today|pixel|conversions|live|spend|pages|tests|people|work|audiences|paths|sources|ways|forms|worst|views|plans|account|alerts|deleted)(?:/(?:\d+|new))?)?$",
        interface,
    ),
]
handler400 = "clabo.platform.config.errors.bad_request"
handler403 = "clabo.platform.config.errors.forbidden"
handler404 = "clabo.platform.config.errors.not_found"
handler500 = "clabo.platform.config.errors.failed"
